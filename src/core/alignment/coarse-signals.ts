import { readBetween } from "../audio/read-between";
import { innerProduct } from "../kernels/sums";
import { FIRST_STEP, mostDecimation, oneChannel, secondStep, thinned } from "./thinning";
import { sidesOf, signOf, stretchOf, type View } from "./view";

/** Coarse correlation aims at this transform size: less than a tenth of a second of work. */
const COARSE_FFT_SIZE = 2 ** 19;
/** Under this share of the energy left after decimation, the sound is too high-pitched to be found without its top. */
const LEAST_LOW_BAND_SHARE = 1e-3;

export type Coarse = { decimation: number; a: Float32Array; b: Float32Array };

/**
 * Both at a rate low enough for the coarse search. Where their sound lies above what would be left, its swells are taken instead:
 * the magnitudes, thinned. They tell the place, and the fine search tells the polarity that they have lost.
 */
export function coarsen(a: View, b: View): Coarse {
  let decimation = 1;
  const frames = a.frames + b.frames;
  const most = mostDecimation(a.sound.sampleRateHz);
  while (decimation < most && frames / decimation > COARSE_FFT_SIZE) decimation *= 2;
  const [lowA, lowB] = [a, b].map((view) => thinnedView(view, decimation));
  const keepsSound = (low: Float32Array, view: View) =>
    innerProduct(low, low) * decimation > LEAST_LOW_BAND_SHARE * view.energy;
  if (keepsSound(lowA, a) && keepsSound(lowB, b)) return { decimation, a: lowA, b: lowB };
  return { decimation, a: magnitudes(a, decimation), b: magnitudes(b, decimation) };
}

/** The same with the render brought to the dry one's speed, of which it has 1 + `slope` times the frames. */
export const atSpeed = ({ decimation, a, b }: Coarse, slope: number): Coarse => ({
  decimation,
  a,
  b: readBetween(b, 0, 1 + slope, Math.floor(b.length / (1 + slope))),
});

const magnitudes = (view: View, factor: number): Float32Array => {
  const read = (start: number, count: number) => stretchOf(view, start, count).map(Math.abs);
  return factor === 1 ? read(0, view.frames) : thinned(oneChannel(view.frames, read), 1, factor);
};

function thinnedView(view: View, factor: number): Float32Array {
  if (factor === 1) return stretchOf(view, 0, view.frames);
  // A long sound was thinned when it was read through; it is not read again for that.
  const { thinned: known } = view;
  if (known?.factor === factor && factor > FIRST_STEP) return known.samples;
  if (known?.factor === FIRST_STEP && factor > FIRST_STEP) return secondStep(known.samples, factor);
  return thinned(sidesOf(view), signOf(view), factor);
}
