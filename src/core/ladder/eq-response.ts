import type { Biquad } from "../audio/biquad";
import { addCross, crossSums } from "../audio/cross-spectra";
import { dbFromPower } from "../audio/decibels";
import { atan2, cos, pow, sin } from "../audio/exact-math";
import { powerOfTwoAtLeast, windowedSpectrum } from "../audio/fft";
import { hannWindow } from "../audio/window";
import { type BandsFit, fittedBands } from "../bench/find/fit-bands";
import { minus } from "../numeric/vectors";
import { bandCentres } from "../spectrum/bands";
import { minimumPhaseOf, type PhaseKind } from "../spectrum/phase-kind";
import { asRepeatedCut, biquadsOf } from "./band-sections";
import type { PairSignals } from "./pair-signals";
import { type CascadeStage, type FilterStage, ofChannel, type Signals } from "./stages";

const PER_OCTAVE = 24;
const LOWEST_HZ = 20;
const HIGHEST_HZ = 20_000;
/** Of the rate: above it converters and oversamplers have their edge. */
const HIGHEST_PART = 0.47;

/** Frequencies at which an equalizer is reported. */
export const eqHertz = (rateHz: number): number[] =>
  bandCentres(PER_OCTAVE, LOWEST_HZ, Math.min(HIGHEST_HZ, HIGHEST_PART * rateHz));

export type Complex = { re: Float64Array; im: Float64Array };

/** Σ h(k) e^(−iω(k − lead)) at some frequencies, the exponentials by turning one on. */
export function responseOfTaps(taps: Float64Array, lead: number, hertz: readonly number[], rateHz: number): Complex {
  const output = { re: new Float64Array(hertz.length), im: new Float64Array(hertz.length) };
  for (const [i, hz] of hertz.entries()) {
    const omega = (2 * Math.PI * hz) / rateHz;
    const [turnRe, turnIm] = [cos(omega), -sin(omega)];
    let [c, s] = [cos(omega * lead), sin(omega * lead)];
    let [re, im] = [0, 0];
    for (const tap of taps) {
      re += tap * c;
      im += tap * s;
      [c, s] = [c * turnRe - s * turnIm, c * turnIm + s * turnRe];
    }
    output.re[i] = re;
    output.im[i] = im;
  }
  return output;
}

export function responseOfBiquads(row: readonly Biquad[], hertz: readonly number[], rateHz: number): Complex {
  const output = { re: new Float64Array(hertz.length).fill(1), im: new Float64Array(hertz.length) };
  for (const [i, hz] of hertz.entries()) {
    const w = (2 * Math.PI * hz) / rateHz;
    const [c1, s1, c2, s2] = [cos(w), -sin(w), cos(2 * w), -sin(2 * w)];
    for (const { b0, b1, b2, a1, a2 } of row) {
      const [nr, ni] = [b0 + b1 * c1 + b2 * c2, b1 * s1 + b2 * s2];
      const [dr, di] = [1 + a1 * c1 + a2 * c2, a1 * s1 + a2 * s2];
      const power = dr * dr + di * di;
      const [hr, hi] = [(nr * dr + ni * di) / power, (ni * dr - nr * di) / power];
      [output.re[i], output.im[i]] = [output.re[i] * hr - output.im[i] * hi, output.re[i] * hi + output.im[i] * hr];
    }
  }
  return output;
}

/** The response of a filter stage for one of its channels; with crosstalk, that of the channel to itself. */
export function responseOfStage(
  stage: FilterStage | CascadeStage,
  channel: number,
  hertz: readonly number[],
  rateHz: number,
): Complex {
  if (stage.kind === "cascade") return responseOfBiquads(ofChannel(stage.sections, channel), hertz, rateHz);
  const { responses, lead } = stage.eq.filters[channel];
  return responseOfTaps(responses[responses.length > 1 ? channel : 0], lead, hertz, rateHz);
}

const FRAME = 4096;
const RATE_HZ = 48_000;
const LEAST_SIZE = 256;
/** An error reported is so many standard errors. */
const STANDARD_ERRORS = 2;
/** A residual is averaged over this part of an octave to each side. */
const AROUND_OCTAVES = 1 / 12;

/**
 * How well the gain of a filter is known at some frequencies, dB, by channel: from what the whole chain leaves there over what Yonder has there, and how many
 * independent readings the bandwidth and the judged time make (two standard errors); and by how much the part of that which goes together with the chain's own
 * output says that it is off.
 */
export function gainErrors(pair: PairSignals, output: Signals, hertz: readonly number[]): Float64Array[] {
  const rateHz = pair.sampleRateHz;
  const shortest = Math.min(...pair.stretches.map(({ frames }) => frames));
  let size = powerOfTwoAtLeast((4 * FRAME * rateHz) / RATE_HZ / Math.SQRT2);
  while (size > LEAST_SIZE && size > shortest / 2) size /= 2;
  const window = hannWindow(size);
  const bins = size / 2 + 1;
  const seconds = pair.judgedFrames / rateHz;
  return pair.yonder.map((y, c) => {
    const [own, rest] = [new Float64Array(bins + 1), new Float64Array(bins + 1)];
    const sums = crossSums(bins);
    const left = minus(y, output[c]);
    let segments = 0;
    for (const { from, frames } of pair.stretches)
      for (let at = from; at + size <= from + frames; at += size / 2) {
        segments++;
        addCross(sums, windowedSpectrum(output[c], at, window), windowedSpectrum(left, at, window));
      }
    const { xx: made, re, im } = sums;
    // Yonder is what the chain makes and the residual.
    for (let k = 0; k < bins; k++) {
      rest[k + 1] = sums.yy[k];
      own[k + 1] = Math.max(0, made[k] + sums.yy[k] + 2 * re[k]);
    }
    // Of a residual that goes together with what the chain makes, the filter itself is off by as much.
    const [together, explainedPower] = [new Float64Array(bins + 1), new Float64Array(bins + 1)];
    for (let k = 0; k < bins; k++) {
      together[k + 1] = together[k] + (made[k] > 0 ? (re[k] ** 2 + im[k] ** 2) / made[k] : 0);
      explainedPower[k + 1] = explainedPower[k] + made[k];
    }
    for (const sum of [own, rest]) for (let k = 0; k < bins; k++) sum[k + 1] += sum[k];
    const binHz = rateHz / size;
    const factor = pow(2, AROUND_OCTAVES);
    return Float64Array.from(hertz, (hz) => {
      const first = Math.max(1, Math.round(hz / factor / binHz) - 1);
      const end = Math.min(bins, Math.round((hz * factor) / binHz) + 2);
      const [whole, left] = [own[end] - own[first], rest[end] - rest[first]];
      if (!(whole > 0)) return Number.POSITIVE_INFINITY;
      const readings = Math.max(1, 2 * (end - first) * binHz * seconds * 0.5);
      const share = left / whole;
      // What is mostly unexplained tells nothing of a filter, however much of it there is.
      if (share > 0.5) return Number.POSITIVE_INFINITY;
      const explained = explainedPower[end] - explainedPower[first];
      const off = explained > 0 ? (together[end] - together[first] - left / Math.max(1, segments)) / explained : 0;
      return 8.686 * (STANDARD_ERRORS * Math.sqrt(share / readings) + Math.sqrt(Math.max(0, off)));
    });
  });
}

/** A gain known to no better than this (dB) is not reported. */
export const MOST_ERROR_DB = 1;

export type EqReading = {
  hertz: number[];
  /** Gain less the flat one, dB; NaN where it is not known. */
  gainDb: Float64Array;
  errorDb: Float64Array;
  degrees: Float64Array;
  flatDb: number;
  phase: PhaseKind;
  /** Bands that make the curve; null where none do. */
  bands: BandsFit | null;
  /** The largest change at a known frequency, dB. */
  mostDb: number;
};

/** Bands that leave more than this of a curve (dB, RMS) are not reported. */
const MOST_MISFIT_DB = 0.25;
const LEAST_KNOWN = 12;
/** A curve that stays within this (dB) has no shape. */
export const FLAT_SHAPE_DB = 0.1;

/** An equalizer as it is reported, from its own response: gain apart from shape, what is known of it, the kind of its phase, its bands. */
export function readEq(
  response: Complex,
  errorDb: Float64Array,
  hertz: number[],
  rateHz: number,
  stage: FilterStage | CascadeStage,
  channel: number,
): EqReading {
  const raw = Float64Array.from(hertz, (_, i) => dbFromPower(response.re[i] ** 2 + response.im[i] ** 2 + 1e-30));
  const known = hertz.map((_, i) => i).filter((i) => errorDb[i] < MOST_ERROR_DB);
  const degrees = Float64Array.from(hertz, (_, i) => (180 / Math.PI) * atan2(response.im[i], response.re[i]));
  const median = known.map((i) => raw[i]).toSorted((a, b) => a - b)[known.length >> 1] ?? 0;
  const errors = known.map((i) => errorDb[i]).toSorted((a, b) => a - b);
  const enoughDb = Math.max(0.02, errors[errors.length >> 1] ?? 0);
  const isFlat = known.every((i) => Math.abs(raw[i] - median) < Math.max(FLAT_SHAPE_DB, errorDb[i]));
  const curve = { hertz: known.map((i) => hertz[i]), gainDb: known.map((i) => raw[i]) };
  const fit =
    isFlat || known.length < LEAST_KNOWN
      ? null
      : asRepeatedCut(fittedBands(curve.hertz, curve.gainDb, rateHz, { enoughDb }), curve, rateHz, enoughDb);
  const bands = fit && fit.misfitDb < Math.max(MOST_MISFIT_DB, 2 * enoughDb) ? fit : null;
  const flatDb = bands ? bands.gainDb : median;
  const gainDb = raw.map((db, i) => (errorDb[i] < MOST_ERROR_DB ? db - flatDb : Number.NaN));
  const mostDb = known.reduce((most, i) => (Math.abs(gainDb[i]) > Math.abs(most) ? gainDb[i] : most), 0);
  return {
    hertz,
    gainDb,
    errorDb,
    degrees,
    flatDb,
    phase: phaseKindOf({ response, known, hertz, rateHz, stage, channel, isFlat, raw, bands }),
    bands,
    mostDb,
  };
}

/** Phases that agree to this (degrees, RMS) are of one kind; common practice, no published source. */
const AGREED_DEGREES = 6;
const FLAT_DEGREES = 3;
/** One kind has to fit so many times better than the other where both do. */
const CLEARLY = 2;
/** A zero so far outside the unit circle still counts as on it: a cut's zeros lie on it. */
const ON_CIRCLE = 1.005;

type PhaseTask = {
  response: Complex;
  known: readonly number[];
  hertz: readonly number[];
  rateHz: number;
  stage: FilterStage | CascadeStage;
  channel: number;
  isFlat: boolean;
  raw: Float64Array;
  bands: BandsFit | null;
};

function phaseKindOf({ response, known, hertz, rateHz, stage, channel, isFlat, raw, bands }: PhaseTask): PhaseKind {
  if (known.length < LEAST_KNOWN) return "unknown";
  if (stage.kind === "cascade" && ofChannel(stage.sections, channel).every(isMinimum))
    return isFlat ? "none" : "minimum";
  const own = known.map((i) => atan2(response.im[i], response.re[i]));
  const places = known.map((i) => hertz[i]);
  const linear = spreadOf(own, places);
  if (isFlat) return linear < FLAT_DEGREES ? "none" : "all-pass";
  const minimum = minimumAt(known, hertz, raw, rateHz, bands);
  const excess = spreadOf(
    own.map((p, i) => p - minimum[i]),
    places,
  );
  if (linear < AGREED_DEGREES && excess < AGREED_DEGREES) {
    if (linear * CLEARLY < excess) return "linear";
    return excess * CLEARLY < linear ? "minimum" : "unknown";
  }
  if (excess < AGREED_DEGREES) return "minimum";
  return linear < AGREED_DEGREES ? "linear" : "mixed";
}

/** Both zeros of a section within the unit circle, or on it. */
export function isMinimum({ b0, b1, b2 }: Biquad): boolean {
  if (b0 === 0) return false;
  const [p, q] = [b1 / b0, b2 / b0];
  const root = p * p - 4 * q;
  if (root < 0) return Math.sqrt(Math.abs(q)) <= ON_CIRCLE;
  const s = Math.sqrt(root);
  return Math.max(Math.abs(-p + s), Math.abs(-p - s)) / 2 <= ON_CIRCLE;
}

/** Phase of the minimum-phase filter of the known magnitude: of the bands that make it, which know what lies outside; else by its cepstrum. */
function minimumAt(
  known: readonly number[],
  hertz: readonly number[],
  raw: Float64Array,
  rateHz: number,
  bands: BandsFit | null,
): number[] {
  const places = known.map((i) => hertz[i]);
  if (bands && bands.misfitDb < MOST_MISFIT_DB) {
    const { re, im } = responseOfBiquads(biquadsOf(bands, rateHz), places, rateHz);
    return places.map((_, i) => atan2(im[i], re[i]));
  }
  const bins = 32_769;
  const binHz = rateHz / (2 * (bins - 1));
  const logs = new Float64Array(bins);
  let next = 0;
  for (let k = 0; k < bins; k++) {
    while (next + 1 < places.length && places[next + 1] <= k * binHz) next++;
    const [a, b] = [next, Math.min(places.length - 1, next + 1)];
    const share = b > a ? Math.max(0, Math.min(1, (k * binHz - places[a]) / (places[b] - places[a]))) : 0;
    logs[k] = ((1 - share) * raw[known[a]] + share * raw[known[b]]) / 8.686;
  }
  const phases = minimumPhaseOf(logs);
  return places.map((hz) => phases[Math.round(hz / binHz)]);
}

/** RMS of phases about a delay and half turns, degrees: the straight line over frequency that leaves least. */
function spreadOf(phases: readonly number[], hertz: readonly number[]): number {
  let [turns, before] = [0, phases[0]];
  const whole = phases.map((p, i) => {
    if (i > 0) turns -= 2 * Math.PI * Math.round((p + turns - before) / (2 * Math.PI));
    before = p + turns;
    return before;
  });
  const offset = Math.PI * Math.round(whole[0] / Math.PI);
  let [product, energy] = [0, 0];
  for (const [i, p] of whole.entries()) {
    product += (p - offset) * hertz[i];
    energy += hertz[i] ** 2;
  }
  const slope = energy > 0 ? product / energy : 0;
  const squares = whole.reduce((sum, p, i) => sum + (p - offset - slope * hertz[i]) ** 2, 0);
  return (180 / Math.PI) * Math.sqrt(squares / whole.length);
}
