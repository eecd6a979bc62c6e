// What whoever reads ahead and whoever reads have between them.

/** Bytes of a block. */
export const AHEAD_BYTES = 4_194_304;
/** Blocks that are there at a time: one is read, one lies ready, one is fetched. */
export const AHEAD_BLOCKS = 3;

/** What the two tell each other, by place in the control array. */
export const FETCHED = 0;
export const USED = 1;
export const STOPPED = 2;
export const FAILED = 3;
export const CONTROLS = 4;

/** More blocks than any run has: reported of either side's count when it stops, so that the other one, about to wait for it, does not. */
export const AT_AN_END = 2 ** 30;

/**
 * Said to a reader first, and back. Messages to a worker that has not said a word lie with the thread that started it, which then must not work:
 * only one that has answered is sure to hear the next.
 */
export const HELLO = "hello";

/** What a reader is asked: the blocks of a Blob from `start` on. */
export type AheadRun = { blob: Blob; start: number; control: Int32Array; blocks: Uint8Array[] };
