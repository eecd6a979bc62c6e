import { KERNEL_BYTES } from "./bytes";

/** What the files of kernels/ export. Pointers are byte offsets into `memory`. */
type Exports = {
  memory: WebAssembly.Memory;
  polyphase(
    signal: number,
    bank: number,
    taps: number,
    up: number,
    down: number,
    phase: number,
    output: number,
    count: number,
  ): void;
  mix(left: number, right: number, sign: number, count: number): void;
  thinBy(signal: number, bank: number, taps: number, down: number, output: number, count: number): void;
  readBetween(
    signal: number,
    table: number,
    taps: number,
    phases: number,
    position: number,
    stride: number,
    output: number,
    first: number,
    count: number,
  ): void;
  weightedEnergies(
    left: number,
    right: number,
    ends: number,
    steps: number,
    sections: number,
    state: number,
    weights: number,
    energies: number,
  ): void;
  interpolatedPeak(
    signal: number,
    count: number,
    bank: number,
    rows: number,
    taps: number,
    worstGain: number,
    peak: number,
    blockPeaks: number,
  ): number;
  largestMagnitude(signal: number, count: number): number;
  extremes(signal: number, count: number, output: number): void;
  bandEnergies(signals: number, count: number, keeps: number, state: number, energies: number): void;
  midAndSideSums(left: number, right: number, factor: number, output: number, count: number): void;
  innerProduct(a: number, b: number, count: number): number;
  blockProducts(a: number, b: number, frames: number, blocks: number, output: number): void;
  pairSums(a: number, b: number, gain: number, count: number, output: number): void;
  sumOfSingles(signal: number, count: number): number;
  readStereo24(source: number, count: number, left: number, right: number): void;
  readIntegers(source: number, bytes: number, stride: number, count: number, output: number): void;
  transform(data: number, work: number, size: number, roots: number, rootStep: number): number;
  windowed(signal: number, window: number, output: number, count: number): void;
  unfold(packed: number, half: number, roots: number, output: number): void;
  fold(spectrum: number, half: number, roots: number, output: number): void;
  addProducts(a: number, b: number, bins: number, sum: number): void;
  straightened(packed: number, count: number, scale: number): void;
  levinson(turned: number, order: number, prediction: number): number;
  addCross(a: number, b: number, bins: number, count: number, cross: number): void;
  addPower(a: number, bins: number, count: number, power: number): void;
  addPowerAndMost(a: number, bins: number, count: number, power: number, most: number): void;
  weightedPowers(spectrum: number, weights: number, scale: number, bins: number, powers: number): void;
  powersApart(one: number, other: number, count: number, apart: number): void;
  bandSums(powers: number, edges: number, parts: number, count: number, sums: number): void;
  spreadBands(powers: number, slopes: number, count: number, stepBark: number, peaks: number, sums: number): void;
  sin(x: number): number;
  cos(x: number): number;
  tan(x: number): number;
  atan2(y: number, x: number): number;
  exp(x: number): number;
  log(x: number): number;
  log2(x: number): number;
  log10(x: number): number;
  pow(base: number, exponent: number): number;
  tanh(x: number): number;
  cosh(x: number): number;
  workspaceStart(): number;
};

const PAGE_BYTES = 65_536;

function load(): Exports {
  const bytes = Uint8Array.from(atob(KERNEL_BYTES), (c) => c.charCodeAt(0));
  const exports = new WebAssembly.Instance(new WebAssembly.Module(bytes)).exports as unknown as Exports;
  exports.memory.grow(16);
  return exports;
}

/** The compiled loops; one copy for each worker, test or program. */
export const kernels = load();
let workspaceAt = kernels.workspaceStart();

function growTo(end: number): void {
  const missing = end - kernels.memory.buffer.byteLength;
  if (missing > 0) kernels.memory.grow(Math.ceil(missing / PAGE_BYTES));
}

const kept = new Map<Float64Array, number>();

/**
 * Where a table that is used again and again lies in the module's memory, for good. To be asked for before any room is: the workspace moves when a table comes, and
 * what lay there is void.
 */
export function keptAt(table: Float64Array): number {
  const known = kept.get(table);
  if (known !== undefined) return known;
  const start = workspaceAt;
  kept.set(table, start);
  workspaceAt = (start + table.byteLength + 15) & ~15;
  growTo(workspaceAt);
  doubles(start, table.length).set(table);
  return start;
}

/** Places for pieces of these sizes in the module's memory, which grows as needed. What lay there before is void. */
export function memoryFor(...byteLengths: number[]): number[] {
  let end = workspaceAt;
  const starts = byteLengths.map((length) => {
    const start = end;
    end = (start + length + 15) & ~15;
    return start;
  });
  growTo(end);
  return starts;
}

/** Signals that lie in the module's memory while a piece of sound is worked on, by their arrays. */
const laid = new Map<Float32Array, number>();

/** Lays signals in the module's memory for as long as `work` runs: the loops that it calls need not copy them in, each for itself. */
export function whileLaid<T>(signals: readonly Float32Array[], work: () => T): T {
  if (laid.size > 0) throw new Error("signals are laid already");
  const start = workspaceAt;
  for (const signal of signals) {
    if (laid.has(signal)) continue;
    laid.set(signal, workspaceAt);
    growTo(workspaceAt + signal.byteLength);
    singles(workspaceAt, signal.length).set(signal);
    workspaceAt = (workspaceAt + signal.byteLength + 15) & ~15;
  }
  const end = workspaceAt;
  try {
    return work();
  } finally {
    laid.clear();
    // A table that was kept meanwhile lies behind the signals: their room is lost to it, once.
    if (workspaceAt === end) workspaceAt = start;
  }
}

/** Where a signal lies that loops read and do not change: where it was laid, or at `room`, where it is copied. */
export function placeOf(signal: Float32Array, room: number): number {
  const known = laid.get(signal);
  if (known !== undefined) return known;
  singles(room, signal.length).set(signal);
  return room;
}

export const singles = (at: number, count: number) => new Float32Array(kernels.memory.buffer, at, count);
export const doubles = (at: number, count: number) => new Float64Array(kernels.memory.buffer, at, count);

/** The frames of a signal from `start` on, as many as `target` holds, zero where the signal has none. */
export function layFrames(signal: Float32Array, start: number, target: Float32Array | Float64Array): void {
  const count = target.length;
  const from = Math.max(0, Math.min(signal.length, start));
  const to = Math.max(from, Math.min(signal.length, start + count));
  const before = Math.max(0, Math.min(count, from - start));
  target.fill(0, 0, before);
  target.set(signal.subarray(from, to), before);
  target.fill(0, before + to - from);
}

/** Work on long signals is done in pieces of this many samples, so that memory stays small whatever the length. */
export const PIECE = 1 << 17;
