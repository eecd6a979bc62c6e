import { AHEAD_BYTES, type AheadRun, AT_AN_END, FAILED, FETCHED, HELLO, STOPPED, USED } from "./protocol";

/** Bytes asked for at a time: into one buffer again and again, so that nothing is left to be collected. */
const CHUNK_BYTES = 1_048_576;

type Chunks = { next: () => Promise<Uint8Array | undefined>; end: () => void };

/** The bytes of a Blob as they come. */
function chunksOf(blob: Blob): Chunks {
  const stream = blob.stream();
  try {
    const reader = stream.getReader({ mode: "byob" });
    let buffer = new ArrayBuffer(CHUNK_BYTES);
    const next = async () => {
      const { value } = await reader.read(new Uint8Array(buffer));
      if (value) buffer = value.buffer;
      return value?.length ? value : undefined;
    };
    return { next, end: () => void reader.cancel() };
  } catch {
    // Not every browser reads a Blob into a buffer it is given.
    const reader = stream.getReader();
    return { next: async () => (await reader.read()).value, end: () => void reader.cancel() };
  }
}

/** Whether there is room for a block; waits for it. */
function hasRoom(block: number, { control, blocks }: AheadRun): boolean {
  for (;;) {
    const used = Atomics.load(control, USED);
    if (Atomics.load(control, STOPPED) === 1) return false;
    if (block < used + blocks.length) return true;
    Atomics.wait(control, USED, used);
  }
}

/** Fetches block after block of a Blob, no more of them ahead than there is room for, until it ends or is stopped. */
async function read(run: AheadRun): Promise<void> {
  const { blob, start, control, blocks } = run;
  const size = blob.size - start;
  const { next, end } = chunksOf(blob.slice(start));
  const tellFetched = (blockCount: number) => {
    Atomics.store(control, FETCHED, blockCount);
    Atomics.notify(control, FETCHED);
  };
  try {
    let done = 0;
    while (done < size) {
      let chunk = await next();
      if (!chunk) throw new Error("the file ends before its end");
      while (chunk.length > 0) {
        const block = Math.floor(done / AHEAD_BYTES);
        const at = done % AHEAD_BYTES;
        if (!hasRoom(block, run)) return;
        const part: Uint8Array = chunk.subarray(0, AHEAD_BYTES - at);
        blocks[block % blocks.length].set(part, at);
        done += part.length;
        chunk = chunk.subarray(part.length);
        if (done % AHEAD_BYTES === 0 || done === size) tellFetched(block + 1);
      }
    }
  } catch {
    // Whoever waits reads for itself, and is told what is wrong.
    Atomics.store(control, FAILED, 1);
    tellFetched(AT_AN_END);
  } finally {
    end();
  }
}

let last = Promise.resolve();
self.onmessage = ({ data }: MessageEvent<AheadRun | typeof HELLO>) => {
  if (data === HELLO) self.postMessage(HELLO);
  else last = last.then(() => read(data));
};
