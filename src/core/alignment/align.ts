import type { Clip } from "../audio/clip";
import { dotProduct } from "../audio/dot-product";
import { kaiserAt, kaiserBeta } from "../audio/window";
import type { Alignment } from "./alignment";
import { coarseCorrelation } from "./correlate";
import { measureDriftPpm } from "./drift";
import { type LocalDelay, localDelay, SEGMENT_FRAMES } from "./local-delay";

/** Coarse correlation aims at this transform size: about 15 ms of work instead of seconds. */
const COARSE_FFT_SIZE = 2 ** 18;
const MOST_DECIMATION = 16;
/** Under this share of the energy left after decimation, the sound is too high-pitched to be found without its top. */
const LEAST_LOW_BAND_SHARE = 1e-3;
/** RMS below which a signal counts as silent: under the last bit of 24. */
const SILENCE_RMS = 2 ** -24;
/**
 * Set by trial on recordings of many kinds, each against all others and against its own equalized, compressed, clipped,
 * drifting and lossy versions (docs/figures.md): shared material 60 to 1400 and 0.7 to 1.0, unrelated up to 32 and 0.43.
 */
const LEAST_SIGNIFICANCE = 12;
const LEAST_AGREEMENT = 0.5;
/** A first place as clear as this needs no second opinion. */
const PLAIN_AGREEMENT = 0.9;
const PLAIN_LEAD = 0.5;
const CANDIDATE_COUNT = 4;
const SEGMENT_COUNT = 24;

/**
 * Finds where `render` lies against `reference`: whole-sample delay, polarity, clock drift, with a confidence.
 * Both clips at one rate. A coarse whitened correlation over the whole length proposes places, the averaged
 * cross-spectrum of the loudest segments at the full rate decides. Unrelated or silent material answers `found: false`
 * with the reason.
 */
export function align(reference: Clip, render: Clip): Alignment {
  if (reference.sampleRateHz !== render.sampleRateHz) throw new Error("align wants both clips at one rate");
  const [a, b] = comparableSignals(reference, render);
  if (rms(a) < SILENCE_RMS) return notFound("the dry render is silent");
  if (rms(b) < SILENCE_RMS) return notFound("the render is silent");

  const { decimation, coarseA, coarseB } = coarsen(a, b);
  const rateOfLags = reference.sampleRateHz / decimation;
  // Ringing of an equalizer belongs to the peak: places closer than 2 ms are one place.
  const apart = Math.max(3, Math.round(rateOfLags * 0.002));
  const coarse = coarseCorrelation(coarseA, coarseB, CANDIDATE_COUNT, apart);
  if (coarse.peaks.length === 0) return notFound("there is nothing in common to line up by");
  const lead = coarse.peaks.length < 2 ? 1 : 1 - Math.abs(coarse.peaks[1].value / coarse.peaks[0].value);
  if (coarse.significance < LEAST_SIGNIFICANCE) {
    return notFound("the two do not sound like the same material", Math.max(0, lead));
  }

  let best: LocalDelay | null = null;
  let bestScore = 0;
  for (const peak of coarse.peaks) {
    const expected = Math.round(peak.lag * decimation);
    const starts = loudestSegments(a, expected, b.length);
    const near = localDelay(a, b, starts, expected);
    if (!near) continue;
    // A second look with the segments laid on each other: the first one loses what slides out of the window.
    const found = localDelay(a, b, starts, Math.round(near.delaySamples));
    // Both must hold: the whole length counts for the place, the loudest segments for its exactness.
    const score = found ? found.agreement * Math.abs(peak.value) : 0;
    if (found && score > bestScore) {
      best = found;
      bestScore = score;
    }
    if (found && found.agreement > PLAIN_AGREEMENT && lead > PLAIN_LEAD) break;
  }
  if (!best || best.agreement < LEAST_AGREEMENT) {
    return notFound("no single delay brings the two together", Math.min(Math.max(0, lead), best?.agreement ?? 0));
  }
  const delaySamples = Math.round(best.delaySamples) + 0;
  return {
    found: true,
    delaySamples,
    polarity: best.polarity,
    driftPpm: measureDriftPpm(a, b, delaySamples, reference.sampleRateHz),
    confidence: Math.max(0, Math.min(lead, best.agreement)),
  };
}

const notFound = (reason: string, confidence = 0): Alignment => ({ found: false, reason, confidence });

/** Mid signals, or left channels where a mid all but cancels (wide or out-of-phase material). */
function comparableSignals(reference: Clip, render: Clip): [Float32Array, Float32Array] {
  const mids = [reference, render].map(midOf);
  const cancels = [reference, render].some((clip, i) => rms(mids[i]) < 0.1 * rms(clip.channels[0]));
  return cancels ? [reference.channels[0], render.channels[0]] : [mids[0], mids[1]];
}

function midOf(clip: Clip): Float32Array {
  const [left, right] = clip.channels;
  return right ? left.map((v, i) => 0.5 * (v + right[i])) : left;
}

function rms(signal: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < signal.length; i++) sum += signal[i] * signal[i];
  return Math.sqrt(sum / Math.max(1, signal.length));
}

/** Both signals at a rate low enough for the coarse search, or as they are when their sound lies above what would be left. */
function coarsen(a: Float32Array, b: Float32Array) {
  let decimation = 1;
  while (decimation < MOST_DECIMATION && (a.length + b.length) / decimation > COARSE_FFT_SIZE) decimation *= 2;
  const coarseA = decimate(a, decimation);
  const coarseB = decimate(b, decimation);
  const keepsSound = (low: Float32Array, full: Float32Array) => rms(low) ** 2 > LEAST_LOW_BAND_SHARE * rms(full) ** 2;
  if (keepsSound(coarseA, a) && keepsSound(coarseB, b)) return { decimation, coarseA, coarseB };
  return { decimation: 1, coarseA: a, coarseB: b };
}

/** Every `factor`-th sample after a Kaiser-windowed sinc low-pass (60 dB, eight taps to each side a factor). */
function decimate(signal: Float32Array, factor: number): Float32Array {
  if (factor === 1) return signal;
  const reach = 8 * factor;
  const cutoff = 0.45 / factor;
  const taps = new Float64Array(2 * reach);
  for (let k = -reach; k < reach; k++) {
    const angle = 2 * Math.PI * cutoff * k;
    taps[k + reach] = 2 * cutoff * (k === 0 ? 1 : Math.sin(angle) / angle) * kaiserAt(k / reach, kaiserBeta(60));
  }
  const padded = new Float32Array(signal.length + 2 * reach);
  padded.set(signal, reach);
  const output = new Float32Array(Math.ceil(signal.length / factor));
  for (let n = 0; n < output.length; n++) {
    output[n] = dotProduct(padded, n * factor, taps, 0, taps.length);
  }
  return output;
}

/** Starts of the segments with most energy in the stretch both signals cover, in time order. */
function loudestSegments(reference: Float32Array, delay: number, renderLength: number): number[] {
  const from = Math.max(0, -delay);
  const to = Math.min(reference.length, renderLength - delay);
  const segments: { start: number; power: number }[] = [];
  for (let start = from; start < to; start += SEGMENT_FRAMES / 2) {
    let power = 0;
    const end = Math.min(to, start + SEGMENT_FRAMES);
    for (let i = start; i < end; i++) power += reference[i] * reference[i];
    segments.push({ start, power });
  }
  return segments
    .sort((p, q) => q.power - p.power)
    .slice(0, SEGMENT_COUNT)
    .map((s) => s.start)
    .sort((p, q) => p - q);
}
