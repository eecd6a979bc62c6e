import { doubles, keptAt, kernels, layFrames, memoryFor, PIECE, singles } from "./kernels";

/** Which outputs of a filter are wanted, and which frame of its input the signal given begins with; 0 where nothing is said. */
export type Wanted = { count: number; first?: number; signalStart?: number };

/** Input frames [start, end) that a polyphase filter looks at for some of its outputs. */
export function polyphaseInput(
  { taps, lead, up, down }: { taps: number; lead: number; up: number; down: number },
  { first = 0, count }: Wanted,
): { start: number; end: number } {
  const start = Math.floor((first * down) / up) - lead;
  return { start, end: Math.floor(((first + count - 1) * down) / up) - lead + taps };
}

/**
 * Some outputs of a polyphase filter over `signal`, silence outside. `bank` holds `up` rows of `taps` (a multiple
 * of 8); output n takes the row (n · down) mod up, whose tap `lead` falls on frame ⌊n · down / up⌋.
 */
export function filterPolyphase(
  signal: Float32Array,
  { bank, taps, lead, up, down }: { bank: Float64Array; taps: number; lead: number; up: number; down: number },
  { count: outputFrames, first: firstOutput = 0, signalStart = 0 }: Wanted,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(outputFrames);
  const piece = Math.min(PIECE, outputFrames);
  const spanned = Math.ceil((piece * down) / up) + taps + 1;
  const [bankAt, signalAt, outputAt] = memoryFor(bank.byteLength, 8 * spanned, 4 * piece);
  doubles(bankAt, bank.length).set(bank);
  for (let n = 0; n < outputFrames; n += piece) {
    const count = Math.min(piece, outputFrames - n);
    const place = (firstOutput + n) * down;
    const first = Math.floor(place / up);
    layFrames(signal, first - lead - signalStart, doubles(signalAt, spanned));
    kernels.polyphase(signalAt, bankAt, taps, up, down, place - first * up, outputAt, count);
    output.set(singles(outputAt, count), n);
  }
  return output;
}

/**
 * `count` places of a filter over (left + sign · right) / 2, or over `left` where that is `right` too, `down` frames apart. Signals come in
 * parts, one behind the other. `bank` has
 * a multiple of 8 taps, the first of which falls on the signals' first frame; silence past their end. In single precision: for looking, not for
 * hearing.
 */
export function thinnedMix(
  left: readonly Float32Array[],
  right: readonly Float32Array[],
  sign: 1 | -1,
  bank: Float32Array,
  down: number,
  count: number,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(count);
  const piece = Math.max(1, Math.floor(PIECE / down));
  const spanned = (piece * down + bank.length + 3) & ~3;
  const [bankAt, leftAt, rightAt, outputAt] = memoryFor(bank.byteLength, 4 * spanned, 4 * spanned, 4 * piece);
  singles(bankAt, bank.length).set(bank);
  for (let n = 0; n < count; n += piece) {
    const part = Math.min(piece, count - n);
    layParts(left, n * down, singles(leftAt, spanned));
    if (right.at(-1) !== left.at(-1)) {
      layParts(right, n * down, singles(rightAt, spanned));
      kernels.mix(leftAt, rightAt, sign, spanned);
    }
    kernels.thinBy(leftAt, bankAt, bank.length, down, outputAt, part);
    output.set(singles(outputAt, part), n);
  }
  return output;
}

/** The frames of parts that lie one behind the other, from `start` on; silence past their end. */
function layParts(parts: readonly Float32Array[], start: number, target: Float32Array): void {
  let partStart = 0;
  for (const part of parts) {
    const from = Math.max(start, partStart);
    const to = Math.min(start + target.length, partStart + part.length);
    if (to > from) target.set(part.subarray(from - partStart, to - partStart), from - start);
    partStart += part.length;
  }
  target.fill(0, Math.max(0, partStart - start));
}

/** Outputs that are read from one start, wherever reading begins: so that each is the same to the last bit however it is asked for. */
const READ_GRID = 8192;

/** Input frames [start, end) that `readThrough` looks at for some of its outputs. */
export function readThroughInput(
  { taps, lead }: { taps: number; lead: number },
  firstPosition: number,
  stride: number,
  { first = 0, count }: Wanted,
): { start: number; end: number } {
  // A frame more at either end: positions are rounded in other ways than here.
  return {
    start: Math.floor(firstPosition + first * stride) - lead - 1,
    end: Math.floor(firstPosition + (first + count - 1) * stride) - lead + taps + 2,
  };
}

/**
 * Samples of `signal` at firstPosition + n · stride for some n, silence outside. `table`, which stays in memory, holds `phases` + 1 rows of `taps` (a multiple of
 * 8), between which taps are interpolated; tap `lead` falls on the whole part of the position.
 */
export function readThrough(
  signal: Float32Array,
  { table, taps, lead, phases }: { table: Float64Array; taps: number; lead: number; phases: number },
  firstPosition: number,
  stride: number,
  { count, first = 0, signalStart = 0 }: Wanted,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(count);
  const spanned = Math.ceil(READ_GRID * stride) + taps + 2;
  const tableAt = keptAt(table);
  const [signalAt, outputAt] = memoryFor(8 * spanned, 4 * READ_GRID);
  const end = first + count;
  for (let n = first; n < end; ) {
    const block = Math.floor(n / READ_GRID) * READ_GRID;
    const frames = Math.min(end, block + READ_GRID) - n;
    const start = Math.floor(firstPosition + block * stride);
    layFrames(signal, start - lead - signalStart, doubles(signalAt, spanned));
    kernels.readBetween(signalAt, tableAt, taps, phases, firstPosition - start, stride, outputAt, n, frames);
    output.set(singles(outputAt, frames), n - first);
    n += frames;
  }
  return output;
}

/** Places of `peakBetween` that are looked at together. */
export const PEAK_BLOCK = 64;

/**
 * The larger of `peak` and the largest magnitude that any row of `bank` (`taps` each, a multiple of 8) reads at `count` places of a
 * signal, which begins where the first tap of the first place falls; silence past its end. What provably cannot pass the running peak is not
 * computed. `blockPeaks` has the largest magnitude of each block of 64 memoryFor, 0 where it was not computed.
 */
export function peakBetween(
  signal: Float32Array,
  count: number,
  bank: Float64Array,
  taps: number,
  worstGain: number,
  peak: number,
): { peak: number; blockPeaks: Float64Array } {
  const rows = bank.length / taps;
  const blockPeaks = new Float64Array(Math.ceil(count / PEAK_BLOCK));
  const piece = Math.min(PIECE, count);
  const spanned = piece + taps + 16;
  const [bankAt, signalAt, peaksAt] = memoryFor(bank.byteLength, 4 * spanned, 8 * Math.ceil(piece / PEAK_BLOCK));
  doubles(bankAt, bank.length).set(bank);
  let most = peak;
  for (let n = 0; n < count; n += PIECE) {
    const part = Math.min(PIECE, count - n);
    layFrames(signal, n, singles(signalAt, part + taps + 16));
    most = kernels.interpolatedPeak(signalAt, part, bankAt, rows, taps, worstGain, most, peaksAt);
    blockPeaks.set(doubles(peaksAt, Math.ceil(part / PEAK_BLOCK)), n / PEAK_BLOCK);
  }
  return { peak: most, blockPeaks };
}

/**
 * The largest magnitude that any row of `bank` reads on the two frames at each of some places: `taps` a row (a multiple of 8), whose tap `lead`
 * falls on the frame.
 */
export function* peaksAt(
  signal: Float32Array,
  bank: Float64Array,
  taps: number,
  lead: number,
  frames: Iterable<number>,
): Generator<number> {
  const spanned = taps + 2 * PEAK_BLOCK;
  const [bankAt, signalAt, peakAt] = memoryFor(bank.byteLength, 4 * spanned, 8);
  doubles(bankAt, bank.length).set(bank);
  for (const frame of frames) {
    layFrames(signal, frame - lead, singles(signalAt, spanned));
    yield kernels.interpolatedPeak(signalAt, 2, bankAt, bank.length / taps, taps, Number.MAX_VALUE, 0, peakAt);
  }
}
