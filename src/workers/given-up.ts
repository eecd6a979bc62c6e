/**
 * Work that nobody waits for any more ends at its next look at this: a word in shared memory, which the page sets while the worker is busy.
 * The worker, its compiled loops and its readers stay for what is asked next.
 */
let flag: Int32Array | null = null;

/** Thrown to the work itself; nobody sees it. */
export class GivenUp extends Error {
  constructor() {
    super("The work was given up.");
    this.name = "GivenUp";
  }
}

/** Which word tells that the work that begins now is given up; null where none does. */
export function watchFor(word: Int32Array | null): void {
  flag = word;
}

/** Ends work that was given up. Looked at where bytes are read and progress is reported, so every few milliseconds. */
export function endIfGivenUp(): void {
  if (flag && Atomics.load(flag, 0) === 1) throw new GivenUp();
}
