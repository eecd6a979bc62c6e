import { sin } from "../audio/exact-math";
import { readBetween } from "../audio/read-between";
import { kaiserAt, kaiserBeta } from "../audio/window";
import { decimatedMix } from "../kernels/filters";
import { innerProduct } from "../kernels/sums";
import { mixed, type View } from "./view";

/** Coarse correlation aims at this transform size: less than a tenth of a second of work. */
const COARSE_FFT_SIZE = 2 ** 19;
const MOST_DECIMATION = 32;
/** Under this share of the energy left after decimation, the sound is too high-pitched to be found without its top. */
const LEAST_LOW_BAND_SHARE = 1e-3;

export type Coarse = { decimation: number; a: Float32Array; b: Float32Array };

/**
 * Both at a rate low enough for the coarse search. Where their sound lies above what would be left, its swells are taken instead:
 * the magnitudes, decimatedMix. They tell the place, and the fine search tells the polarity that they have lost.
 */
export function coarsen(a: View, b: View): Coarse {
  let decimation = 1;
  const frames = a.left.length + b.left.length;
  while (decimation < MOST_DECIMATION && frames / decimation > COARSE_FFT_SIZE) decimation *= 2;
  const [lowA, lowB] = [a, b].map((view) => decimatedView(view, decimation));
  const keepsSound = (low: Float32Array, view: View) =>
    innerProduct(low, low) * decimation > LEAST_LOW_BAND_SHARE * view.energy;
  if (keepsSound(lowA, a) && keepsSound(lowB, b)) return { decimation, a: lowA, b: lowB };
  return { decimation, a: decimate(magnitudes(a), decimation), b: decimate(magnitudes(b), decimation) };
}

/** The same with the render brought to the dry one's speed, of which it has 1 + `slope` times the frames. */
export const atSpeed = ({ decimation, a, b }: Coarse, slope: number): Coarse => ({
  decimation,
  a,
  b: readBetween(b, 0, 1 + slope, Math.floor(b.length / (1 + slope))),
});

const magnitudes = (view: View): Float32Array => mixed(view, view.left, view.right).map(Math.abs);

const decimatedView = (view: View, factor: number): Float32Array =>
  factor === 1
    ? mixed(view, view.left, view.right)
    : decimate(view.left, factor, view.right, view.kind === "mid" ? 1 : -1);

/**
 * Every `factor`-th sample of the half sum or difference of two signals, or of one, after a Kaiser-windowed sinc low-pass (60 dB), in two
 * steps where that is cheaper.
 */
function decimate(signal: Float32Array, factor: number, other = signal, sign: 1 | -1 = 1): Float32Array {
  if (factor === 1) return signal;
  if (factor <= 8) return decimatedMix(signal, other, sign, lowPass(factor, 0.45, 8), factor);
  // The first of two steps may let through what the second one takes away, so it can be short.
  const first = decimatedMix(signal, other, sign, lowPass(8, 0.4, 2), 8);
  return decimatedMix(first, first, 1, lowPass(factor / 8, 0.45, 8), factor / 8);
}

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
