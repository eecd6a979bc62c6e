import { cos } from "../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";

/** The whitened correlation of two whole signals and its most prominent places. */
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
  const cross = forwardReal(withSoftEdges(reference), size);
  multiplyConjugate(cross, forwardReal(withSoftEdges(render), size));
  whiten(cross);
  const correlation = inverseReal(cross);
  const lagOf = (index: number) => (index <= render.length ? index : index - size);
  const peaks = largestPlaces(correlation, wanted, apart).map((index) => ({
    lag: lagOf(index),
    value: correlation[index],
  }));
  return { peaks, significance: peaks.length ? significanceOf(correlation, peaks[0].lag, apart) : 0 };
}

/** Samples over which a signal is faded in and out. */
const EDGE_FRAMES = 512;

/**
 * A signal faded in and out: cut hard, each end is a click, and two files of one length would be found in step by their ends
 * whatever lies between.
 */
function withSoftEdges(signal: Float32Array): Float32Array {
  const edge = Math.min(EDGE_FRAMES, signal.length >> 3);
  const faded = signal.slice();
  for (let i = 0; i < edge; i++) {
    const gain = 0.5 - 0.5 * cos((Math.PI * (i + 0.5)) / edge);
    faded[i] *= gain;
    faded[signal.length - 1 - i] *= gain;
  }
  return faded;
}

/** Samples whose largest magnitude is kept, so that a second place is found without reading everything again. */
const BLOCK = 4096;

/** Indices of the largest magnitudes, each more than `apart` (round the circle) from those before it. */
function largestPlaces(values: Float64Array, wanted: number, apart: number): number[] {
  const size = values.length;
  const taken: number[] = [];
  const free = (i: number) => taken.every((t) => Math.min(Math.abs(i - t), size - Math.abs(i - t)) > apart);
  const largestIn = (block: number): number => {
    let best = -1;
    let most = 0;
    const end = Math.min(size, (block + 1) * BLOCK);
    for (let i = block * BLOCK; i < end; i++) {
      const magnitude = values[i] < 0 ? -values[i] : values[i];
      if (magnitude > most && free(i)) {
        best = i;
        most = magnitude;
      }
    }
    return best;
  };
  const best = Int32Array.from({ length: Math.ceil(size / BLOCK) }, (_, block) => largestIn(block));
  while (taken.length < wanted) {
    const top = best.reduce((a, b) => (a < 0 || (b >= 0 && Math.abs(values[b]) > Math.abs(values[a])) ? b : a), -1);
    if (top < 0) break;
    taken.push(top);
    // Only blocks whose best lies by the place just taken have to look again.
    for (let block = 0; block < best.length; block++)
      if (best[block] >= 0 && !free(best[block])) best[block] = largestIn(block);
  }
  return taken;
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

/** Bins this far under the strongest (power of the cross-spectrum) hold round-off rather than sound. */
const WHITENING_FLOOR = 1e-28;

function whiten(cross: Float64Array): void {
  let strongest = 0;
  for (let i = 0; i < cross.length; i += 2) {
    const power = cross[i] * cross[i] + cross[i + 1] * cross[i + 1];
    if (power > strongest) strongest = power;
  }
  const floor = strongest * WHITENING_FLOOR;
  for (let i = 0; i < cross.length; i += 2) {
    const power = cross[i] * cross[i] + cross[i + 1] * cross[i + 1];
    const weight = power > floor ? 1 / Math.sqrt(power) : 0;
    cross[i] *= weight;
    cross[i + 1] *= weight;
  }
}
