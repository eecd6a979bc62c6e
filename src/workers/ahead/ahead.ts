import {
  AHEAD_BLOCKS,
  AHEAD_BYTES,
  type AheadRun,
  AT_AN_END,
  CONTROLS,
  FAILED,
  FETCHED,
  HELLO,
  STOPPED,
  USED,
} from "./protocol";

// Bytes that are read on and on come from a second thread, which fetches the next block while this one is worked on. The two share the
// blocks, so that whoever reads may wait for them without giving up its turn.

type Reader = { worker: Worker; isFree: boolean; isLost: boolean; blocks: Uint8Array[] | null };

/** Two files are read side by side at the most. */
const READERS = 2;
const readers: Reader[] = [];
const running = new Set<Ahead>();

/** Files longer than this are worth a reader. */
export const LONG_FILE_BYTES = 33_554_432;

/** Reads are given up waiting for after this long; the bytes are fetched here then. */
const PATIENCE_MS = 10_000;

const canShare = () => typeof SharedArrayBuffer !== "undefined" && globalThis.crossOriginIsolated === true;

/** Starts the readers, once; resolves when they can be asked. They cannot start while this thread works. */
export async function startReaders(): Promise<void> {
  if (readers.length > 0 || !canShare()) return;
  const started = Array.from({ length: READERS }, () => {
    const worker = new Worker(new URL("./reader.worker.ts", import.meta.url), { type: "module" });
    const reader: Reader = { worker, isFree: false, isLost: false, blocks: null };
    readers.push(reader);
    return new Promise<void>((resolve) => {
      worker.onerror = () => {
        reader.isLost = true;
        resolve();
      };
      worker.onmessage = () => {
        reader.isFree = true;
        resolve();
      };
      worker.postMessage(HELLO);
    });
  });
  await Promise.all(started);
}

/** Ends all runs, when the work that asked for them is done or given up. */
export function stopReading(): void {
  for (const run of running) run.stop();
}

/** One run through a Blob. */
export class Ahead {
  private readonly control = new Int32Array(new SharedArrayBuffer(4 * CONTROLS));
  private readonly blocks: Uint8Array[];
  private block = -1;

  private constructor(
    private readonly reader: Reader,
    private readonly blob: Blob,
    private readonly start: number,
  ) {
    reader.isFree = false;
    reader.blocks ??= Array.from({ length: AHEAD_BLOCKS }, () => new Uint8Array(new SharedArrayBuffer(AHEAD_BYTES)));
    this.blocks = reader.blocks;
    const run: AheadRun = { blob, start, control: this.control, blocks: this.blocks };
    reader.worker.postMessage(run);
    running.add(this);
  }

  /** A run from `start` on; null where no reader is free. */
  static from(blob: Blob, start: number): Ahead | null {
    const reader = readers.find((r) => r.isFree && !r.isLost);
    return reader ? new Ahead(reader, blob, start) : null;
  }

  /** The next block, which holds until the one after it is asked for; null when it could not be read, or there is none. */
  next(): Uint8Array | null {
    const at = this.start + (this.block + 1) * AHEAD_BYTES;
    if (at >= this.blob.size) return null;
    this.block++;
    // The block before this one may be written over.
    Atomics.store(this.control, USED, this.block);
    Atomics.notify(this.control, USED);
    for (let fetched = this.fetched(); fetched <= this.block; fetched = this.fetched()) {
      if (Atomics.wait(this.control, FETCHED, fetched, PATIENCE_MS) === "timed-out") {
        this.reader.isLost = true;
        return null;
      }
    }
    if (Atomics.load(this.control, FAILED) === 1) return null;
    return this.blocks[this.block % AHEAD_BLOCKS].subarray(0, Math.min(AHEAD_BYTES, this.blob.size - at));
  }

  private fetched = (): number => Atomics.load(this.control, FETCHED);

  /** Sets the reader free for another run. */
  stop(): void {
    if (!running.delete(this)) return;
    Atomics.store(this.control, STOPPED, 1);
    // A reader that is about to wait for this to change sees that it has.
    Atomics.store(this.control, USED, AT_AN_END);
    Atomics.notify(this.control, USED);
    this.reader.isFree = true;
  }
}
