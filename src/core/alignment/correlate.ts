import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";

/** The whitened correlation of two whole signals and its most prominent place. */
export type CoarseCorrelation = {
  /** Lags in samples of the given signals, best first, at least `apart` samples from each other. */
  peaks: { lag: number; value: number }[];
  /** The best peak's magnitude over the RMS of the correlation around it. */
  significance: number;
};

/**
 * Phase-transform cross-correlation (Knapp and Carter 1976) of two whole signals through the FFT.
 * Lag k is positive when `render` is late by k samples. Whitening makes unrelated material, tonal or not, come out as
 * noise of known size, so the peak's height over that noise tells whether there is anything to find.
 */
export function coarseCorrelation(
  reference: Float32Array,
  render: Float32Array,
  wanted: number,
  apart: number,
): CoarseCorrelation {
  const size = powerOfTwoAtLeast(reference.length + render.length);
  const cross = forwardReal(reference, size);
  const other = forwardReal(render, size);
  multiplyConjugate(cross, other);
  whiten(cross);
  const correlation = inverseReal(cross);
  const lagOf = (index: number) => (index <= render.length ? index : index - size);
  const peaks: { lag: number; value: number }[] = [];
  const magnitudes = correlation.map(Math.abs);
  for (let n = 0; n < wanted; n++) {
    let best = 0;
    for (let i = 1; i < size; i++) if (magnitudes[i] > magnitudes[best]) best = i;
    if (magnitudes[best] <= 0) break;
    peaks.push({ lag: lagOf(best), value: correlation[best] });
    for (let i = best - apart; i <= best + apart; i++) magnitudes[(i + size) % size] = 0;
  }
  return { peaks, significance: peaks.length ? significanceOf(correlation, peaks[0].lag, apart) : 0 };
}

/** How far to each side of a peak its surroundings are taken, in lags. */
const SURROUNDINGS = 2048;

/**
 * A peak's magnitude over the RMS of what surrounds it. Local, because two sounds that each begin with one strong onset
 * heap up correlation wherever the onsets meet, without any single lag standing out.
 */
function significanceOf(correlation: Float64Array, lag: number, apart: number): number {
  const size = correlation.length;
  const at = (k: number) => correlation[(((lag + k) % size) + size) % size];
  const reach = Math.min(SURROUNDINGS, size / 2 - 1);
  let sum = 0;
  for (let k = apart + 1; k <= reach; k++) sum += at(k) ** 2 + at(-k) ** 2;
  const surroundings = Math.sqrt(sum / (2 * (reach - apart)));
  return surroundings > 0 ? Math.abs(at(0)) / surroundings : 0;
}

/** a ← conj(a) · b, bin by bin. */
function multiplyConjugate(a: Float64Array, b: Float64Array): void {
  for (let i = 0; i < a.length; i += 2) {
    const re = a[i] * b[i] + a[i + 1] * b[i + 1];
    const im = a[i] * b[i + 1] - a[i + 1] * b[i];
    a[i] = re;
    a[i + 1] = im;
  }
}

/** Bins this far under the strongest (power) hold round-off rather than sound. */
const WHITENING_FLOOR = 1e-14;

function whiten(cross: Float64Array): void {
  let strongest = 0;
  for (let i = 0; i < cross.length; i += 2) strongest = Math.max(strongest, Math.hypot(cross[i], cross[i + 1]));
  const floor = strongest * WHITENING_FLOOR;
  for (let i = 0; i < cross.length; i += 2) {
    const magnitude = Math.hypot(cross[i], cross[i + 1]);
    const weight = magnitude > floor ? 1 / magnitude : 0;
    cross[i] *= weight;
    cross[i + 1] *= weight;
  }
}
