import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { AHEAD_BYTES, type AheadRun, AT_AN_END, FAILED, FETCHED, HELLO, STOPPED, USED } from "./ahead/protocol";

// Blobs and reader threads are stood in for: bytes in memory, and a reader that fetches as soon as it is told that there is room. What
// decides which bytes come back is the real code.

const SIZE = 6 * AHEAD_BYTES + 12_345;
const bytes = Uint8Array.from({ length: SIZE }, (_, i) => (i * 31 + (i >> 9)) & 255);

type FakeBlob = { from: number; size: number; slice: (start: number, end?: number) => FakeBlob };
const fakeBlob = (from = 0, to = SIZE): FakeBlob => ({
  from,
  size: to - from,
  slice: (start, end = to - from) => fakeBlob(from + start, Math.min(to, from + end)),
});

let fetches: number[] = [];
class FakeFileReader {
  readAsArrayBuffer({ from, size }: FakeBlob): ArrayBuffer {
    fetches.push(size);
    return bytes.slice(from, from + size).buffer;
  }
}

/** How a reader fails: at a block, or not at all. */
let failsAt = Number.POSITIVE_INFINITY;
const runs: { run: AheadRun; done: number }[] = [];
class FakeWorker {
  onmessage: (() => void) | null = null;
  onerror: (() => void) | null = null;
  postMessage(run: AheadRun | typeof HELLO): void {
    if (run === HELLO) {
      queueMicrotask(() => this.onmessage?.());
      return;
    }
    runs.push({ run, done: 0 });
    fetchOn();
  }
}

/** Every run as far as there is room; blocks that may be written over are. */
function fetchOn(): void {
  for (const state of runs) {
    const { control, blocks, blob, start } = state.run;
    const used = Atomics.load(control, USED);
    if (Atomics.load(control, STOPPED) === 1) continue;
    for (; state.done < used + blocks.length && start + state.done * AHEAD_BYTES < blob.size; state.done++) {
      if (state.done >= failsAt) {
        Atomics.store(control, FAILED, 1);
        Atomics.store(control, FETCHED, AT_AN_END);
        break;
      }
      const at = start + state.done * AHEAD_BYTES;
      blocks[state.done % blocks.length].set(bytes.subarray(at, Math.min(SIZE, at + AHEAD_BYTES)));
      Atomics.store(control, FETCHED, state.done + 1);
    }
  }
}

const opened = async () => {
  const { startReaders, stopReading } = await import("./ahead/ahead");
  const { blobSource } = await import("./blobs");
  await startReaders();
  return { source: () => blobSource(fakeBlob() as unknown as Blob), stopReading };
};

/** Reads all of a source in pieces of one size, and says whether each was what lies there. */
function readsTrue(source: { read: (start: number, end: number) => Uint8Array }, piece: number): boolean {
  for (let at = 0; at < SIZE; at += piece) {
    const end = Math.min(SIZE, at + piece);
    if (Buffer.compare(source.read(at, end), bytes.subarray(at, end)) !== 0) return false;
  }
  return true;
}

beforeEach(() => {
  vi.resetModules();
  fetches = [];
  runs.length = 0;
  failsAt = Number.POSITIVE_INFINITY;
  vi.stubGlobal("FileReaderSync", FakeFileReader);
  vi.stubGlobal("Worker", FakeWorker);
  vi.stubGlobal("crossOriginIsolated", true);
  // Nobody sleeps here: who is told that there is room is called instead.
  vi.spyOn(Atomics, "notify").mockImplementation(() => {
    fetchOn();
    return 0;
  });
});

afterEach(() => {
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

describe("the bytes of a long Blob", () => {
  it.each([65_536, 786_432, 3_000_001, 2 * AHEAD_BYTES + 7])(
    "are what lies there, read on in pieces of %i",
    async (piece) => {
      const { source, stopReading } = await opened();
      expect(readsTrue(source(), piece)).toBe(true);
      // A few fetches of its own, until it is sure to read on; the reader has the rest, unless pieces are larger than its blocks.
      expect(runs).toHaveLength(piece < AHEAD_BYTES ? 1 : 0);
      if (piece < AHEAD_BYTES) expect(fetches.reduce((a, b) => a + b, 0)).toBeLessThan(2.5 * AHEAD_BYTES);
      stopReading();
      expect(readsTrue(source(), piece)).toBe(true);
    },
  );

  it("are what lies there, read here and there between long stretches in order", async () => {
    const { source, stopReading } = await opened();
    const jump = fc.record({ start: fc.integer({ min: 0, max: SIZE - 1 }), pieces: fc.integer({ min: 1, max: 12 }) });
    fc.assert(
      fc.property(fc.array(jump, { minLength: 1, maxLength: 6 }), (jumps) => {
        const one = source();
        for (const { start, pieces } of jumps) {
          for (let at = start, n = 0; n < pieces && at < SIZE; n++, at += 900_000) {
            const end = Math.min(SIZE, at + 900_000);
            expect(Buffer.compare(one.read(at, end), bytes.subarray(at, end))).toBe(0);
          }
        }
        stopReading();
      }),
      { numRuns: 30 },
    );
  });

  it("come from two readers for two files side by side, and are fetched here for a third", async () => {
    const { source } = await opened();
    const three = [source(), source(), source()];
    for (let at = 0; at + 700_000 < SIZE; at += 700_000) {
      for (const one of three) {
        expect(Buffer.compare(one.read(at, at + 700_000), bytes.subarray(at, at + 700_000))).toBe(0);
      }
    }
    expect(runs).toHaveLength(2);
  });

  it.each([0, 2])(
    "are fetched here where the reader fails at block %i, and it is not asked again for that file",
    async (block) => {
      failsAt = block;
      const { source } = await opened();
      expect(readsTrue(source(), 500_000)).toBe(true);
      expect(runs).toHaveLength(1);
    },
  );

  it("are fetched here where there is no shared memory, and at once where there are few", async () => {
    vi.stubGlobal("crossOriginIsolated", false);
    const { source } = await opened();
    expect(readsTrue(source(), 500_000)).toBe(true);
    expect(runs).toHaveLength(0);
    const { blobSource } = await import("./blobs");
    fetches = [];
    const small = blobSource(fakeBlob(100, 50_100) as unknown as Blob);
    for (const at of [40_000, 0, 777]) expect(small.read(at, at + 9)).toEqual(bytes.subarray(100 + at, 109 + at));
    expect(fetches).toEqual([50_000]);
  });
});
