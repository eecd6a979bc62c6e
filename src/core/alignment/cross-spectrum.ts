import { cos, sin } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import { hannWindow } from "../audio/window";
import type { Polarity } from "./alignment";
import { stretchOf, type View } from "./view";

/** Window of one segment: 8192 samples, 171 ms at 48 kHz, leave room for ±2048 samples of search. */
export const SEGMENT_FRAMES = 8192;
const BINS = SEGMENT_FRAMES / 2 + 1;
const SEARCH_FRAMES = SEGMENT_FRAMES / 4;
const window = hannWindow(SEGMENT_FRAMES);
/** Filled anew for every segment. */
const shaped = new Float64Array(SEGMENT_FRAMES);

/** Two signals' shared sound, bin by bin, averaged over segments laid on each other by an expected delay. */
export type CrossSpectrum = {
  /** Unit vectors, interleaved: the phase of the render over the reference beyond the expected delay. */
  phasors: Float64Array;
  /** 0 to 1: the part of each bin that both share (coherence γ², freed from what chance gives over so few segments). */
  shared: Float64Array;
};

/**
 * The averaged cross-spectrum of segments starting at `starts` (reference frames), each laid on the render at the delay
 * expected there; fractions of a sample are turned back in the spectrum. null when no segment has sound in both.
 */
export function crossSpectrum(
  reference: View,
  render: View,
  starts: readonly number[],
  delayAt: (frame: number) => number,
): CrossSpectrum | null {
  const cross = new Float64Array(2 * BINS);
  const referencePower = new Float64Array(BINS);
  const renderPower = new Float64Array(BINS);
  let used = 0;
  for (const start of starts) {
    const delay = delayAt(start + SEGMENT_FRAMES / 2);
    const whole = Math.round(delay);
    const a = windowed(reference, start);
    const b = windowed(render, start + whole);
    if (!a || !b) continue;
    used++;
    addProducts(cross, referencePower, renderPower, a, b, delay - whole);
  }
  if (used === 0) return null;

  const shared = new Float64Array(BINS);
  for (let k = 0; k < BINS; k++) {
    const magnitude = Math.sqrt(cross[2 * k] * cross[2 * k] + cross[2 * k + 1] * cross[2 * k + 1]);
    const powers = referencePower[k] * renderPower[k];
    const coherence = powers > 0 ? (magnitude * magnitude) / powers : 0;
    // Bins of pure noise still read 1/K on average over K segments; what stands above that is shared sound.
    shared[k] = used > 1 ? Math.max(0, coherence - 1 / used) / (1 - 1 / used) : coherence;
    const scale = magnitude > 0 ? 1 / magnitude : 0;
    cross[2 * k] *= scale;
    cross[2 * k + 1] *= scale;
  }
  return { phasors: cross, shared };
}

/** Adds one segment's products to the sums, its phases turned forward by `fraction` samples. */
function addProducts(
  cross: Float64Array,
  referencePower: Float64Array,
  renderPower: Float64Array,
  a: Float64Array,
  b: Float64Array,
  fraction: number,
): void {
  const stepRe = cos((2 * Math.PI * fraction) / SEGMENT_FRAMES);
  const stepIm = sin((2 * Math.PI * fraction) / SEGMENT_FRAMES);
  let turnRe = 1;
  let turnIm = 0;
  for (let k = 0; k < BINS; k++) {
    const ar = a[2 * k];
    const ai = a[2 * k + 1];
    const br = b[2 * k];
    const bi = b[2 * k + 1];
    const re = ar * br + ai * bi;
    const im = ar * bi - ai * br;
    cross[2 * k] += re * turnRe - im * turnIm;
    cross[2 * k + 1] += re * turnIm + im * turnRe;
    const next = turnRe * stepRe - turnIm * stepIm;
    turnIm = turnRe * stepIm + turnIm * stepRe;
    turnRe = next;
    referencePower[k] += ar * ar + ai * ai;
    renderPower[k] += br * br + bi * bi;
  }
}

/** Spectrum of one Hann-windowed segment, zero outside the signal; null when it is silent. */
function windowed(view: View, start: number): Float64Array | null {
  const segment = stretchOf(view, start, SEGMENT_FRAMES);
  let sound = false;
  for (let i = 0; i < SEGMENT_FRAMES; i++) {
    if (segment[i] !== 0) sound = true;
    shaped[i] = segment[i] * window[i];
  }
  return sound ? forwardReal(shaped, SEGMENT_FRAMES) : null;
}

export type SharedDelay = {
  /** What is left beyond the expected delay, with its fraction; positive when the render is later still. */
  offsetSamples: number;
  polarity: Polarity;
  /** Height of the weighted correlation peak, 0 to 1: 1 when every weighted bin agrees on one delay. */
  agreement: number;
  /** Scatter of the delay between bands of the spectrum, over the root of their number. */
  errorSamples: number;
};

/**
 * The delay that the bins agree on best, within ±2048 samples. Each bin counts with its coherence: the phase transform where
 * the renders share sound, nothing where they do not (a bounded form of the maximum-likelihood weighting in Knapp and
 * Carter 1976). All frequencies count alike, so an equalizer's group delay at low frequencies does not pull the figure.
 * The fraction is the one at which Σ shared · cos(phase + ω · offset) is largest. null where nothing is shared.
 */
export function sharedDelay({ phasors, shared }: CrossSpectrum): SharedDelay | null {
  const weighted = new Float64Array(2 * BINS);
  let total = 0;
  for (let k = 0; k < BINS; k++) {
    weighted[2 * k] = shared[k] * phasors[2 * k];
    weighted[2 * k + 1] = shared[k] * phasors[2 * k + 1];
    total += 2 * shared[k];
  }
  if (total === 0) return null;
  const correlation = inverseReal(weighted);
  const at = (lag: number) => correlation[(lag + SEGMENT_FRAMES) % SEGMENT_FRAMES];
  let best = 0;
  for (let lag = -SEARCH_FRAMES; lag <= SEARCH_FRAMES; lag++) {
    if (Math.abs(at(lag)) > Math.abs(at(best))) best = lag;
  }
  const polarity = at(best) < 0 ? -1 : 1;
  const offsetSamples = refined(weighted, best, polarity);
  return {
    offsetSamples,
    polarity,
    agreement: Math.min(1, (2 * Math.abs(inPhase(weighted, offsetSamples))) / total),
    errorSamples: bandScatter(weighted, offsetSamples, polarity),
  };
}

/** Σ shared · cos(phase + ω · lag) over all bins. */
function inPhase(weighted: Float64Array, lag: number): number {
  let sum = 0;
  for (let k = 0; k < BINS; k++) {
    const angle = (2 * Math.PI * k * lag) / SEGMENT_FRAMES;
    sum += weighted[2 * k] * cos(angle) - weighted[2 * k + 1] * sin(angle);
  }
  return sum;
}

/** First and second derivative of Σ shared · cos(phase + ω · lag) with respect to the lag, over bins [from, to). */
function derivatives(weighted: Float64Array, lag: number, from: number, to: number): { slope: number; bend: number } {
  const perBin = (2 * Math.PI) / SEGMENT_FRAMES;
  const stepRe = cos(perBin * lag);
  const stepIm = sin(perBin * lag);
  let turnRe = cos(perBin * lag * from);
  let turnIm = sin(perBin * lag * from);
  let slope = 0;
  let bend = 0;
  for (let k = from; k < to; k++) {
    const re = weighted[2 * k];
    const im = weighted[2 * k + 1];
    slope -= k * (re * turnIm + im * turnRe);
    bend -= k * k * (re * turnRe - im * turnIm);
    const next = turnRe * stepRe - turnIm * stepIm;
    turnIm = turnIm * stepRe + turnRe * stepIm;
    turnRe = next;
  }
  return { slope: perBin * slope, bend: perBin * perBin * bend };
}

/** Newton's steps from a whole lag to the top beside it. */
function refined(weighted: Float64Array, start: number, polarity: Polarity): number {
  let lag = start;
  for (let step = 0; step < MOST_STEPS; step++) {
    const { slope, bend } = derivatives(weighted, lag, 0, BINS);
    // Away from a top (bent the other way) the start stands.
    if (polarity * bend >= 0) return start;
    const move = Math.max(-LONGEST_STEP, Math.min(LONGEST_STEP, -slope / bend));
    lag += move;
    if (Math.abs(move) < SHORTEST_STEP) break;
  }
  return Math.abs(lag - start) > 1 ? start : lag;
}

const MOST_STEPS = 20;
const LONGEST_STEP = 0.25;
const SHORTEST_STEP = 1e-6;

const BANDS = 12;

/** Standard error of the delay from its scatter over bands of equal width, each weighted by what it can tell of a delay. */
function bandScatter(weighted: Float64Array, offset: number, polarity: Polarity): number {
  let weights = 0;
  let squares = 0;
  let information = 0;
  for (let band = 0; band < BANDS; band++) {
    const from = Math.max(1, Math.floor((band * BINS) / BANDS));
    const to = Math.floor(((band + 1) * BINS) / BANDS);
    const { slope, bend: bent } = derivatives(weighted, offset, from, to);
    const bend = -polarity * bent;
    if (bend <= 0) continue;
    // One Newton step: how much later this band alone would have it.
    const apart = (polarity * slope) / bend;
    weights += bend;
    squares += bend * apart * apart;
    information += bend * bend;
  }
  if (weights === 0) return 1;
  const effective = (weights * weights) / information;
  return Math.sqrt(squares / weights / Math.max(1, effective - 1));
}
