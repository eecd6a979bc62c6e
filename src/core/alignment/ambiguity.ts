import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import { readBetween } from "../audio/read-between";
import { hannWindow } from "../audio/window";
import { innerProduct } from "../kernels/sums";
import { stretchOf, type View } from "./view";

const SIZE = 32_768;
/** Stretches that a repetition is looked for in. */
const STRETCHES = 6;
/** Bins this far under the strongest (power) are not part of what the ear takes for the tone. */
const OCCUPIED_POWER = 1e-5;
/** How nearly a shifted copy must agree with the sound for one to be taken for the other. Set by trial (docs/figures.md). */
const NEARLY_THE_SAME = 0.8;
/** The first agreement must have fallen under this before a second one counts as another place. */
const APART = 0.5;

/** A place that nulls deeper than this, or nearly as deep as the one found, is as good as it (power ratios: −30 dB, 1 dB). */
const GOOD_NULL = 1e-3;
const NEARLY_AS_GOOD = 1.26;

/**
 * The period in samples that a delay is ambiguous by: the sound repeats itself so nearly that it nulls as well one period
 * earlier or later. null where it does not.
 */
export function ambiguityPeriod(
  reference: View,
  render: View,
  starts: readonly number[],
  delayAt: (frame: number) => number,
): number | null {
  const period = repetitionPeriod(reference, starts);
  if (period === null) return null;
  const inside = starts.filter((start) => {
    const from = start + delayAt(start) - period;
    return from >= 0 && from + 2 * period + NULL_FRAMES <= render.frames && start + NULL_FRAMES <= reference.frames;
  });
  const found = nullAt(reference, render, inside, delayAt, 0);
  const beside = Math.min(...[-period, period].map((by) => nullAt(reference, render, inside, delayAt, by)));
  return beside < Math.max(GOOD_NULL, NEARLY_AS_GOOD * found) ? period : null;
}

/** A tone that matches this well at its best place is the same tone (correlation). */
const SAME_TONE = 0.9;

/**
 * A steady tone has nothing that whitening could bring out: where the reference is one, the place within half a period of
 * where the files lie at which they match best, by plain correlation of one stretch; null where they do not.
 */
export function tonePlace(
  reference: View,
  render: View,
  start: number,
): { delaySamples: number; periodSamples: number; correlation: number } | null {
  const period = repetitionPeriod(reference, [start]);
  if (period === null) return null;
  const reach = Math.ceil(period / 2) + 1;
  const size = powerOfTwoAtLeast(SIZE + 2 * reach);
  const a = stretchOf(reference, start, SIZE);
  const b = stretchOf(render, start - reach, SIZE + 2 * reach);
  const cross = forwardReal(a, size);
  const other = forwardReal(b, size);
  for (let i = 0; i < cross.length; i += 2) {
    const re = cross[i] * other[i] + cross[i + 1] * other[i + 1];
    cross[i + 1] = cross[i] * other[i + 1] - cross[i + 1] * other[i];
    cross[i] = re;
  }
  const products = inverseReal(cross);
  let best = 0;
  for (let lag = 0; lag <= 2 * reach; lag++) if (products[lag] > products[best]) best = lag;
  const laid = b.subarray(best, best + SIZE);
  const energies = innerProduct(a, a) * innerProduct(laid, laid);
  const correlation = energies > 0 ? products[best] / Math.sqrt(energies) : 0;
  if (correlation < SAME_TONE) return null;
  return { delaySamples: best - reach, periodSamples: period, correlation };
}

/** Frames that the sinc needs beyond a stretch. */
const MARGIN = 128;

/** Power of what remains of the stretches at `starts` after the best gain, when laid `by` samples later than found. */
function nullAt(
  reference: View,
  render: View,
  starts: readonly number[],
  delayAt: (frame: number) => number,
  by: number,
): number {
  let [aa, bb, ab] = [0, 0, 0];
  for (const start of starts) {
    const delay = delayAt(start) + by;
    const whole = Math.floor(delay);
    const a = stretchOf(reference, start, NULL_FRAMES);
    const around = stretchOf(render, start + whole - MARGIN, NULL_FRAMES + 2 * MARGIN);
    const b = readBetween(around, MARGIN + delay - whole, 1, NULL_FRAMES);
    aa += innerProduct(a, a);
    bb += innerProduct(b, b);
    ab += innerProduct(a, b);
  }
  return aa > 0 && bb > 0 ? 1 - (ab * ab) / (aa * bb) : 1;
}

/** Frames of each stretch that a null is judged on. */
const NULL_FRAMES = 4096;

/**
 * The lag in samples after which a sound repeats itself so nearly that a place cannot be distinguished from one that many samples on;
 * null where there is none up to 170 ms at 48 kHz. Judged on which frequencies are there at all, not on how strong they
 * are: a steady tone's lines repeat after a period, a dense spectrum never does. `starts` are the segments to look at.
 */
function repetitionPeriod(view: View, starts: readonly number[]): number | null {
  const window = hannWindow(SIZE);
  const power = new Float64Array(SIZE / 2 + 1);
  // A stretch that runs over the end would be cut off hard, and its spectrum smeared.
  const latest = Math.max(0, view.frames - SIZE);
  const every = Math.max(1, Math.floor(starts.length / STRETCHES));
  for (const start of starts.filter((_, i) => i % every === 0)) {
    const stretch = stretchOf(view, Math.min(start, latest), SIZE);
    const spectrum = forwardReal(
      window.map((w, i) => w * stretch[i]),
      SIZE,
    );
    for (let k = 0; k < power.length; k++) power[k] += spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2;
  }
  const strongest = power.reduce((a, b) => Math.max(a, b), 0);
  if (strongest === 0) return null;
  const occupied = new Float64Array(SIZE + 2);
  for (let k = 1; k < power.length; k++) occupied[2 * k] = power[k] > OCCUPIED_POWER * strongest ? 1 : 0;
  const agreement = inverseReal(occupied);
  let lag = 1;
  while (lag < SIZE / 4 && agreement[lag] > APART * agreement[0]) lag++;
  let best = lag;
  for (; lag < SIZE / 4; lag++) if (agreement[lag] > agreement[best]) best = lag;
  if (agreement[best] < NEARLY_THE_SAME * agreement[0]) return null;
  // The first of several such places is the period; later ones are its multiples.
  for (lag = 1; lag < best; lag++) {
    const top = agreement[lag] >= agreement[lag - 1] && agreement[lag] >= agreement[lag + 1];
    if (top && agreement[lag] > 0.9 * agreement[best]) return lag + bentTop(agreement, lag);
  }
  return best + bentTop(agreement, best);
}

/** Fraction of a lag to the top of a parabola through three values. */
function bentTop(values: Float64Array, lag: number): number {
  const curvature = values[lag - 1] - 2 * values[lag] + values[lag + 1];
  return curvature < 0 ? (0.5 * (values[lag - 1] - values[lag + 1])) / curvature : 0;
}
