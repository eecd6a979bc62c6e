import { AHEAD_BYTES, type AheadRun, FAILED, FETCHED, STOPPED, USED } from "./protocol";

/** Fetches block after block of a Blob, no more of them ahead than there is room for, until it ends or is stopped. */
function read({ blob, start, control, blocks }: AheadRun): void {
  const reader = new FileReaderSync();
  for (let block = 0; start + block * AHEAD_BYTES < blob.size; block++) {
    for (;;) {
      if (Atomics.load(control, STOPPED) === 1) return;
      const used = Atomics.load(control, USED);
      if (block < used + blocks.length) break;
      Atomics.wait(control, USED, used);
    }
    const at = start + block * AHEAD_BYTES;
    try {
      blocks[block % blocks.length].set(new Uint8Array(reader.readAsArrayBuffer(blob.slice(at, at + AHEAD_BYTES))));
    } catch {
      // Whoever waits reads for itself, and is told what is wrong.
      Atomics.store(control, FAILED, 1);
      Atomics.notify(control, FETCHED);
      return;
    }
    Atomics.store(control, FETCHED, block + 1);
    Atomics.notify(control, FETCHED);
  }
}

self.onmessage = ({ data }: MessageEvent<AheadRun>) => read(data);
self.postMessage("ready");
