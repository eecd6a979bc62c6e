import { cos, log, pow, sin, tan } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import type { Shared } from "./shared-sound";

/** Bins that share less than this say nothing of the magnitude. */
const TELLING = 0.3;
/** Magnitudes are averaged over a twenty-fourth part of their frequency to each side, a bin at the least. */
const SMOOTHING = 1 / 24;

/**
 * The phase, bin by bin as unit phasors, of the minimum-phase filter that has the magnitude of render over reference: what an equalizer
 * of the usual kind turns by itself, which is no delay and no invert. By aliasing the cepstrum of the log magnitude (Oppenheim and
 * Schafer, Discrete-Time Signal Processing). Where nothing is shared the magnitude is drawn across from what is known beside it.
 */
export function minimumPhase(
  { frames, cross, referencePower }: Shared,
  shared: Float64Array,
  beyond: Beyond,
): Float64Array {
  const logs = smoothed(logMagnitudes(cross, referencePower, shared, beyond));
  const cepstrum = inverseReal(interleaved(logs));
  // Fold the anti-causal half onto the causal one.
  const half = frames / 2;
  for (let n = 1; n < half; n++) {
    cepstrum[n] += cepstrum[frames - n];
    cepstrum[frames - n] = 0;
  }
  const spectrum = forwardReal(cepstrum, frames);
  const phasors = new Float64Array(frames + 2);
  for (let k = 0; k <= half; k++) {
    phasors[2 * k] = cos(spectrum[2 * k + 1]);
    phasors[2 * k + 1] = sin(spectrum[2 * k + 1]);
  }
  return phasors;
}

const interleaved = (real: Float64Array): Float64Array => {
  const output = new Float64Array(2 * real.length);
  for (let k = 0; k < real.length; k++) output[2 * k] = real[k];
  return output;
};

/** The slope of the magnitude is read over so much of the highest telling octave. */
const SLOPE_OCTAVES = 1;
/** Filters fall by this at the most, as the power of the frequency: 48 dB an octave. */
const STEEPEST = 8;
/** A fall gentler than this is none. */
const LEVEL = 0.1;
/** How the magnitude goes on above what can be reported. */
export const BEYOND = ["level", "falling", "to nothing"] as const;
export type Beyond = (typeof BEYOND)[number];
/** Steps the slope is read in. */
const SLOPE_POINTS = 8;

/**
 * ln of the magnitude where the bin tells it, straight lines (over the logarithm of the frequency) between. Below all that is reported it goes on
 * level; above, where the render has sunk into its own noise, as `beyond` says: level, or as steeply as it fell before, or as a
 * bilinear filter does, down to nothing at half the rate.
 */
function logMagnitudes(
  cross: Float64Array,
  referencePower: Float64Array,
  shared: Float64Array,
  beyond: Beyond,
): Float64Array {
  const bins = shared.length;
  const output = new Float64Array(bins);
  let last = -1;
  for (let k = 1; k < bins; k++) {
    if (shared[k] < TELLING) continue;
    output[k] = 0.5 * log((cross[2 * k] ** 2 + cross[2 * k + 1] ** 2) / referencePower[k] ** 2);
    if (last < 0) output.fill(output[k], 0, k);
    else if (k - last > 1) {
      const [from, span] = [log(last), log(k) - log(last)];
      for (let i = last + 1; i < k; i++) {
        output[i] = output[last] + ((log(i) - from) / span) * (output[k] - output[last]);
      }
    }
    last = k;
  }
  if (last < 0) return output;
  // A bilinear filter falls over the tangent of half the angle as its model does over the frequency.
  const scale =
    beyond === "to nothing" ? (k: number) => log(tan((Math.PI * Math.min(k, bins - 1.5)) / (2 * (bins - 1)))) : log;
  const slope = beyond === "level" ? 0 : slopeBelow(output, last, scale);
  const from = scale(last);
  const top = meanAround(output, last);
  for (let i = last + 1; i < bins; i++) output[i] = top + slope * (scale(i) - from);
  return output;
}

function meanAround(logs: Float64Array, k: number): number {
  const from = Math.max(1, Math.floor(k * 0.97));
  let sum = 0;
  for (let i = from; i <= k; i++) sum += logs[i];
  return sum / (k - from + 1);
}

/** How steeply ln of the magnitude falls over the scale given in the octave up to a bin; rises count as none. */
function slopeBelow(logs: Float64Array, top: number, scale: (k: number) => number): number {
  const points = Array.from({ length: SLOPE_POINTS }, (_, i) => {
    const k = Math.max(1, Math.round(top * pow(2, -SLOPE_OCTAVES * (i / SLOPE_POINTS))));
    return { x: scale(k), y: meanAround(logs, k) };
  });
  const meanX = points.reduce((sum, p) => sum + p.x, 0) / points.length;
  const meanY = points.reduce((sum, p) => sum + p.y, 0) / points.length;
  const spread = points.reduce((sum, p) => sum + (p.x - meanX) ** 2, 0);
  if (spread === 0) return 0;
  const slope = points.reduce((sum, p) => sum + (p.x - meanX) * (p.y - meanY), 0) / spread;
  return slope > -LEVEL ? 0 : Math.max(-STEEPEST, slope);
}

function smoothed(values: Float64Array): Float64Array {
  const sums = new Float64Array(values.length + 1);
  for (let k = 0; k < values.length; k++) sums[k + 1] = sums[k] + values[k];
  return values.map((_, k) => {
    const reach = Math.max(1, Math.round(k * SMOOTHING));
    const [from, to] = [Math.max(0, k - reach), Math.min(values.length, k + reach + 1)];
    return (sums[to] - sums[from]) / (to - from);
  });
}

/** The magnitude of render over reference, linear, bin by bin. */
export function gainOf({ cross, referencePower }: Shared): Float64Array {
  const gain = new Float64Array(referencePower.length);
  for (let k = 0; k < gain.length; k++) {
    if (referencePower[k] > 0) gain[k] = Math.sqrt(cross[2 * k] ** 2 + cross[2 * k + 1] ** 2) / referencePower[k];
  }
  return gain;
}
