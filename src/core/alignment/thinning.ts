import { sin } from "../audio/exact-math";
import { PIECE_FRAMES } from "../audio/sound";
import { kaiserAt, kaiserBeta } from "../audio/window";
import { thinnedMix } from "../kernels/filters";

/** Two channels that are read together, silence outside; one that is read twice is the same array. */
export type TwoChannels = {
  frames: number;
  read(startFrame: number, frameCount: number): readonly [left: Float32Array, right: Float32Array];
};

/** A signal read twice. */
export const oneChannel = (frames: number, read: (start: number, count: number) => Float32Array): TwoChannels => ({
  frames,
  read: (start, count) => {
    const signal = read(start, count);
    return [signal, signal];
  },
});

/** `cutoff` in parts of the lower rate, `reach` in samples of it to each side. */
function lowPass(factor: number, cutoff: number, reach: number): Float32Array {
  const half = reach * factor;
  const edge = cutoff / factor;
  return Float32Array.from({ length: 2 * half }, (_, n) => {
    const k = n - half;
    const angle = 2 * Math.PI * edge * k;
    return 2 * edge * (k === 0 ? 1 : sin(angle) / angle) * kaiserAt(k / half, kaiserBeta(60));
  });
}

/** Coarse signals are never thinned by more than this at 48 kHz, and twice as much at every doubling: to 1.5 kHz. */
const MOST_DECIMATION = 32;
const MOST_AT_RATE_HZ = 48_000;

/** The most that sounds of a rate are thinned by, a power of two. */
export function mostDecimation(sampleRateHz: number): number {
  let most = MOST_DECIMATION;
  for (let rate = 2 * MOST_AT_RATE_HZ; rate <= sampleRateHz; rate *= 2) most *= 2;
  return most;
}

/** The first of two steps may let through what the second one takes away, so it can be short. */
export const FIRST_STEP = 8;
export const FIRST_BANK = lowPass(FIRST_STEP, 0.4, 2);

/** Every `down`-th place of a filter over the half sum or difference, half its taps before the place. */
function throughBank(signals: TwoChannels, sign: 1 | -1, bank: Float32Array, down: number): Float32Array {
  const output = new Float32Array(Math.ceil(signals.frames / down));
  const piece = Math.max(1, Math.floor(PIECE_FRAMES / down));
  for (let n = 0; n < output.length; n += piece) {
    const count = Math.min(piece, output.length - n);
    const [left, right] = signals.read(n * down - bank.length / 2, count * down + bank.length);
    output.set(thinnedMix([left], [right], sign, bank, down, count), n);
  }
  return output;
}

/** What the first step of two made, thinned to every `factor`-th sample of the whole. */
export function secondStep(first: Float32Array, factor: number): Float32Array {
  const again = oneChannel(first.length, (start, count) => stretchIn(first, start, count));
  return throughBank(again, 1, lowPass(factor / FIRST_STEP, 0.45, 8), factor / FIRST_STEP);
}

/**
 * Every `factor`-th sample of the half sum or difference of two signals, or of one, after a Kaiser-windowed sinc low-pass (60 dB), in two
 * steps where that is cheaper.
 */
export function thinned(signals: TwoChannels, sign: 1 | -1, factor: number): Float32Array {
  if (factor <= FIRST_STEP) return throughBank(signals, sign, lowPass(factor, 0.45, 8), factor);
  return secondStep(throughBank(signals, sign, FIRST_BANK, FIRST_STEP), factor);
}

/** `count` samples of an array, silence outside. */
function stretchIn(signal: Float32Array, start: number, count: number): Float32Array {
  const output = new Float32Array(count);
  const from = Math.max(0, start);
  output.set(signal.subarray(from, Math.max(from, start + count)), from - start);
  return output;
}
