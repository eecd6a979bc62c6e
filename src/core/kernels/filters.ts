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

/**
 * The larger of `peak` and the largest magnitude that any row of `bank` (`taps` each, a multiple of 8) reads anywhere on the
 * signal, silence outside. What provably cannot pass the running peak is not computed.
 */
export function peakBetween(
  signal: Float32Array,
  bank: Float64Array,
  taps: number,
  worstGain: number,
  peak: number,
): number {
  const piece = PIECE;
  const rows = bank.length / taps;
  const spanned = piece + taps + 16;
  const [bankAt, signalAt] = places(bank.byteLength, 4 * spanned);
  doubles(bankAt, bank.length).set(bank);
  let most = peak;
  for (let n = 1 - taps; n < signal.length; n += piece) {
    const count = Math.min(piece, signal.length - n);
    layFrames(signal, n, singles(signalAt, count + taps + 16));
    most = kernels.interpolatedPeak(signalAt, count, bankAt, rows, taps, worstGain, most);
  }
  return most;
}
