import { doubles, kernels, layFrames, PIECE, places, singles } from "./kernels";

/**
 * `outputFrames` samples of a polyphase filter over `signal`, silence outside. `bank` holds `up` rows of `taps` (a multiple
 * of 8); output n takes the row (n · down) mod up, whose tap `lead` falls on frame ⌊n · down / up⌋.
 */
export function filterPolyphase(
  signal: Float32Array,
  { bank, taps, lead, up, down }: { bank: Float64Array; taps: number; lead: number; up: number; down: number },
  outputFrames: number,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(outputFrames);
  const piece = Math.min(PIECE, outputFrames);
  const spanned = Math.ceil((piece * down) / up) + taps + 1;
  const [bankAt, signalAt, outputAt] = places(bank.byteLength, 8 * spanned, 4 * piece);
  doubles(bankAt, bank.length).set(bank);
  for (let n = 0; n < outputFrames; n += piece) {
    const count = Math.min(piece, outputFrames - n);
    const first = Math.floor((n * down) / up);
    layFrames(signal, first - lead, doubles(signalAt, spanned));
    kernels.polyphase(signalAt, bankAt, taps, up, down, n * down - first * up, outputAt, count);
    output.set(singles(outputAt, count), n);
  }
  return output;
}

/**
 * Every `down`-th place of a filter over (left + sign · right) / 2, or over `left` where that is `right` too; silence outside. `bank` has
 * a multiple of 8 taps, half of them before the place. In single precision: for looking, not for hearing.
 */
export function decimatedMix(
  left: Float32Array,
  right: Float32Array,
  sign: 1 | -1,
  bank: Float32Array,
  down: number,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(Math.ceil(left.length / down));
  const piece = Math.max(1, Math.floor(PIECE / down));
  const spanned = (piece * down + bank.length + 3) & ~3;
  const [bankAt, leftAt, rightAt, outputAt] = places(bank.byteLength, 4 * spanned, 4 * spanned, 4 * piece);
  singles(bankAt, bank.length).set(bank);
  for (let n = 0; n < output.length; n += piece) {
    const count = Math.min(piece, output.length - n);
    layFrames(left, n * down - bank.length / 2, singles(leftAt, spanned));
    if (right !== left) {
      layFrames(right, n * down - bank.length / 2, singles(rightAt, spanned));
      kernels.mix(leftAt, rightAt, sign, spanned);
    }
    kernels.thinBy(leftAt, bankAt, bank.length, down, outputAt, count);
    output.set(singles(outputAt, count), n);
  }
  return output;
}

/**
 * `count` samples read at firstPosition + n · stride, silence outside. `table` holds `phases` + 1 rows of `taps` (a multiple of
 * 8), between which taps are interpolated; tap `lead` falls on the whole part of the position.
 */
export function readThrough(
  signal: Float32Array,
  { table, taps, lead, phases }: { table: Float64Array; taps: number; lead: number; phases: number },
  firstPosition: number,
  stride: number,
  count: number,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(count);
  const piece = Math.min(PIECE, count);
  const spanned = Math.ceil(piece * stride) + taps + 2;
  const [tableAt, signalAt, outputAt] = places(table.byteLength, 8 * spanned, 4 * piece);
  doubles(tableAt, table.length).set(table);
  for (let n = 0; n < count; n += piece) {
    const frames = Math.min(piece, count - n);
    const start = Math.floor(firstPosition + n * stride);
    layFrames(signal, start - lead, doubles(signalAt, spanned));
    kernels.readBetween(signalAt, tableAt, taps, phases, firstPosition - start, stride, outputAt, n, frames);
    output.set(singles(outputAt, frames), n);
  }
  return output;
}

/** Places of `peakBetween` that are looked at together. */
export const PEAK_BLOCK = 64;

/**
 * The larger of `peak` and the largest magnitude that any row of `bank` (`taps` each, a multiple of 8) reads anywhere on the
 * signal, silence outside. What provably cannot pass the running peak is not computed. `blockPeaks` has the largest magnitude of each
 * block of 64 places, 0 where it was not computed; the first place lies at frame 1 − taps, counted by a row's first tap.
 */
export function peakBetween(
  signal: Float32Array,
  bank: Float64Array,
  taps: number,
  worstGain: number,
  peak: number,
): { peak: number; blockPeaks: Float64Array } {
  const piece = PIECE;
  const rows = bank.length / taps;
  const spanned = piece + taps + 16;
  const [bankAt, signalAt, peaksAt] = places(bank.byteLength, 4 * spanned, (8 * piece) / PEAK_BLOCK);
  doubles(bankAt, bank.length).set(bank);
  const first = 1 - taps;
  const blockPeaks = new Float64Array(Math.ceil((signal.length - first) / PEAK_BLOCK));
  let most = peak;
  for (let n = first; n < signal.length; n += piece) {
    const count = Math.min(piece, signal.length - n);
    layFrames(signal, n, singles(signalAt, count + taps + 16));
    most = kernels.interpolatedPeak(signalAt, count, bankAt, rows, taps, worstGain, most, peaksAt);
    blockPeaks.set(doubles(peaksAt, Math.ceil(count / PEAK_BLOCK)), (n - first) / PEAK_BLOCK);
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
  const [bankAt, signalAt, peakAt] = places(bank.byteLength, 4 * spanned, 8);
  doubles(bankAt, bank.length).set(bank);
  for (const frame of frames) {
    layFrames(signal, frame - lead, singles(signalAt, spanned));
    yield kernels.interpolatedPeak(signalAt, 2, bankAt, bank.length / taps, taps, Number.MAX_VALUE, 0, peakAt);
  }
}
