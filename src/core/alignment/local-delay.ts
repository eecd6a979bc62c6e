import { forwardReal, inverseReal } from "../audio/fft";
import { hannWindow } from "../audio/window";

/** Window of one segment: 8192 samples, 171 ms at 48 kHz, leave room for ±2048 samples of search. */
export const SEGMENT_FRAMES = 8192;
const SEARCH_FRAMES = SEGMENT_FRAMES / 4;
const window = hannWindow(SEGMENT_FRAMES);

export type LocalDelay = {
  /** Delay with its fraction, from a parabola through the peak; positive when the render is late. */
  delaySamples: number;
  polarity: 1 | -1;
  /** Height of the weighted correlation peak, 0 to 1: 1 when every weighted bin agrees on one delay. */
  agreement: number;
};

/**
 * The delay near `expectedDelay` from the averaged cross-spectrum of segments starting at `starts` (reference frames).
 * Each bin has unit magnitude times its coherence γ²: the phase transform where the renders share sound, nothing where
 * they do not (a bounded form of the maximum-likelihood weighting in Knapp and Carter 1976). All frequencies count alike,
 * so an equalizer's group delay at low frequencies does not pull the figure.
 * Returns null when no segment has sound in both.
 */
export function localDelay(
  reference: Float32Array,
  render: Float32Array,
  starts: readonly number[],
  expectedDelay: number,
): LocalDelay | null {
  const size = SEGMENT_FRAMES;
  const bins = size / 2 + 1;
  const cross = new Float64Array(2 * bins);
  const referencePower = new Float64Array(bins);
  const renderPower = new Float64Array(bins);
  let used = 0;
  for (const start of starts) {
    const a = windowed(reference, start);
    const b = windowed(render, start + expectedDelay);
    if (!a || !b) continue;
    used++;
    const fa = forwardReal(a, size);
    const fb = forwardReal(b, size);
    for (let k = 0; k < bins; k++) {
      const ar = fa[2 * k];
      const ai = fa[2 * k + 1];
      const br = fb[2 * k];
      const bi = fb[2 * k + 1];
      cross[2 * k] += ar * br + ai * bi;
      cross[2 * k + 1] += ar * bi - ai * br;
      referencePower[k] += ar * ar + ai * ai;
      renderPower[k] += br * br + bi * bi;
    }
  }
  if (used === 0) return null;

  let weightSum = 0;
  for (let k = 0; k < bins; k++) {
    const magnitude = Math.hypot(cross[2 * k], cross[2 * k + 1]);
    const powers = referencePower[k] * renderPower[k];
    const coherence = powers > 0 ? (magnitude * magnitude) / powers : 0;
    // Bins of pure noise still read 1/K on average over K segments; what stands above that is shared sound.
    const shared = used > 1 ? Math.max(0, coherence - 1 / used) / (1 - 1 / used) : coherence;
    const weight = magnitude > 0 ? shared / magnitude : 0;
    cross[2 * k] *= weight;
    cross[2 * k + 1] *= weight;
    weightSum += shared;
  }
  if (weightSum === 0) return null;
  const correlation = inverseReal(cross);
  const at = (lag: number) => correlation[(lag + size) % size];
  let best = 0;
  for (let lag = -SEARCH_FRAMES; lag <= SEARCH_FRAMES; lag++) {
    if (Math.abs(at(lag)) > Math.abs(at(best))) best = lag;
  }
  const polarity = at(best) < 0 ? -1 : 1;
  const [before, peak, after] = [at(best - 1), at(best), at(best + 1)].map((v) => v * polarity);
  const bend = before - 2 * peak + after;
  const fraction = bend < 0 ? (0.5 * (before - after)) / bend : 0;
  return {
    delaySamples: expectedDelay + best + Math.max(-0.5, Math.min(0.5, fraction)),
    polarity,
    agreement: Math.min(1, (peak * size) / weightSum),
  };
}

/** One Hann-windowed segment, zero outside the signal; null when it is silent. */
function windowed(signal: Float32Array, start: number): Float64Array | null {
  const segment = new Float64Array(SEGMENT_FRAMES);
  let sound = false;
  const from = Math.max(0, -start);
  const to = Math.min(SEGMENT_FRAMES, signal.length - start);
  for (let i = from; i < to; i++) {
    const v = signal[start + i];
    if (v !== 0) sound = true;
    segment[i] = v * window[i];
  }
  return sound ? segment : null;
}
