import { cos } from "../audio/exact-math";
import { forwardReal, inverseReal } from "../audio/fft";
import { factorDense, solveDense } from "../numeric/cholesky";
import { times } from "../numeric/vectors";
import { addBasisProducts, addBasisSums, type Places, placesOf } from "./spline-sums";

/** A static curve: a cubic B-spline over −reach to reach, with as many intervals as knots less three; it goes on in a straight line beyond. */
export type SaturationCurve = {
  reach: number;
  knots: Float64Array;
  /** How many times the rate it is worked out at: 1 aliases what lies above Nyquist, as the processor would. */
  oversampling: number;
};

/** Free of aliasing: harmonics up to the seventh of Nyquist keep off the band. */
export const FREE_OVERSAMPLING = 4;
/** Intervals of the curve that are tried. */
export const INTERVALS = [8, 16, 32, 64];
/** Windows the curve is fitted on: frames, of which so many at each end only lead in and out. */
const WINDOW = 8192;
const EDGE = 768;
/** Windows looked at, over all channels, at the most. */
const MOST_WINDOWS = 20;
/** Neighbouring knots are held to a straight line by this share of the energy a knot has on average. */
const HOLD = 1e-7;

const fade = Float64Array.from({ length: EDGE }, (_, i) => 0.5 - 0.5 * cos((Math.PI * (i + 0.5)) / EDGE));

/** Frames [from, from + WINDOW), faded in and out. */
function windowAt(signal: Float64Array, from: number): Float64Array {
  const window = new Float64Array(WINDOW);
  for (let i = 0; i < WINDOW; i++) {
    const v = signal[from + i] ?? 0;
    window[i] = i < EDGE ? v * fade[i] : i >= WINDOW - EDGE ? v * fade[WINDOW - 1 - i] : v;
  }
  return window;
}

/** A window at so many times its rate, by its spectrum. */
function raised(window: Float64Array, times: number): Float64Array {
  if (times === 1) return window;
  const spectrum = forwardReal(window, window.length);
  const wide = new Float64Array(window.length * times + 2);
  for (let k = 0; k < spectrum.length; k++) wide[k] = spectrum[k] * times;
  wide[window.length] *= 0.5;
  return inverseReal(wide);
}

/** The way back: what lies over half the lower rate is let go. */
function lowered(window: Float64Array, times: number): Float64Array {
  if (times === 1) return window;
  const spectrum = forwardReal(window, window.length);
  const narrow = spectrum.slice(0, window.length / times + 2);
  for (let k = 0; k < narrow.length; k++) narrow[k] /= times;
  narrow[narrow.length - 1] = 0;
  return inverseReal(narrow);
}

/** Where an amplitude lies among the intervals, and how far into its own. */
function placeIn(reach: number, intervals: number, v: number): { k: number; t: number } {
  const place = ((v + reach) / (2 * reach)) * intervals;
  const k = Math.min(intervals - 1, Math.max(0, Math.floor(place)));
  return { k, t: place - k };
}

/** The curve at an amplitude. */
export function saturatedAt({ reach, knots }: SaturationCurve, v: number): number {
  const intervals = knots.length - 3;
  const clamped = Math.max(-reach, Math.min(reach, v));
  const { k, t } = placeIn(reach, intervals, clamped);
  const s = 1 - t;
  const inside =
    (s * s * s * knots[k] +
      (3 * t * t * t - 6 * t * t + 4) * knots[k + 1] +
      (3 * s * s * s - 6 * s * s + 4) * knots[k + 2] +
      t * t * t * knots[k + 3]) /
    6;
  if (v === clamped) return inside;
  // Its ends are known by few samples: beyond them it goes on no steeper than its whole, and never back.
  const whole = saturatedAt({ reach, knots, oversampling: 1 }, Math.sign(v) * reach) / (Math.sign(v) * reach || 1);
  const end = slopeOf({ reach, knots, oversampling: 1 }, clamped);
  const slope = whole >= 0 ? Math.max(0, Math.min(end, whole)) : Math.min(0, Math.max(end, whole));
  return inside + (v - clamped) * slope;
}

/** Its slope there. */
export function slopeOf({ reach, knots }: SaturationCurve, v: number): number {
  const intervals = knots.length - 3;
  const { k, t } = placeIn(reach, intervals, Math.max(-reach, Math.min(reach, v)));
  const s = 1 - t;
  const a = -0.5 * s * s;
  const b = 1.5 * t * t - 2 * t;
  const c = -1.5 * s * s + 2 * s;
  const d = 0.5 * t * t;
  return ((a * knots[k] + b * knots[k + 1] + c * knots[k + 2] + d * knots[k + 3]) * intervals) / (2 * reach);
}

/** A slope or gain under this is not divided by. */
const LEAST_SLOPE = 0.02;

/** A slope as it is divided by. */
export const safeSlope = (slope: number): number =>
  Math.abs(slope) >= LEAST_SLOPE ? slope : slope < 0 ? -LEAST_SLOPE : LEAST_SLOPE;

/** The curve of each interval as a cubic of the way into it, c0 + t (c1 + t (c2 + t c3)): quicker where there are millions of samples. */
function cubicsOf({ knots }: SaturationCurve): Float64Array {
  const cubics = new Float64Array(4 * (knots.length - 3));
  for (let k = 0; k < knots.length - 3; k++) {
    const [a, b, c, d] = [knots[k], knots[k + 1], knots[k + 2], knots[k + 3]];
    cubics[4 * k] = (a + 4 * b + c) / 6;
    cubics[4 * k + 1] = (c - a) / 2;
    cubics[4 * k + 2] = (a - 2 * b + c) / 2;
    cubics[4 * k + 3] = (d - a + 3 * (b - c)) / 6;
  }
  return cubics;
}

function saturateAll(signal: Float64Array, curve: SaturationCurve, cubics: Float64Array, output: Float64Array): void {
  const { reach } = curve;
  const intervals = curve.knots.length - 3;
  const scale = intervals / (2 * reach);
  for (let i = 0; i < signal.length; i++) {
    const v = signal[i];
    if (v < -reach || v > reach) {
      output[i] = saturatedAt(curve, v);
      continue;
    }
    const place = (v + reach) * scale;
    const k = place >= intervals ? intervals - 1 : Math.floor(place);
    const t = place - k;
    const c = 4 * k;
    output[i] = cubics[c] + t * (cubics[c + 1] + t * (cubics[c + 2] + t * cubics[c + 3]));
  }
}

/** Whether a curve goes up another way than down, by more than a thousandth (−60 dB): it then adds even harmonics, and an offset that follows the sound. */
export function isUneven(curve: SaturationCurve): boolean {
  let [even, odd] = [0, 0];
  const rest = saturatedAt(curve, 0);
  for (let i = 1; i <= EVEN_POINTS; i++) {
    const v = (curve.reach * i) / EVEN_POINTS;
    const [up, down] = [saturatedAt(curve, v) - rest, saturatedAt(curve, -v) - rest];
    even += (up + down) ** 2;
    odd += (up - down) ** 2;
  }
  return even > UNEVEN * odd;
}
const EVEN_POINTS = 64;
const UNEVEN = 1e-6;

/** A signal through the curve, in windows of a fixed grid. */
export function saturated(signal: Float64Array, curve: SaturationCurve): Float64Array {
  const output = new Float64Array(signal.length);
  if (curve.reach === 0) return output;
  const cubics = cubicsOf(curve);
  if (curve.oversampling === 1) {
    saturateAll(signal, curve, cubics, output);
    return output;
  }
  // Straight parts need no higher rate, and windows would cut their frequencies near Nyquist.
  const straight = chordOf(curve);
  const hop = WINDOW - 2 * EDGE;
  for (let at = 0; at < signal.length; at += hop) {
    const high = raised(windowAt(signal, at - EDGE), curve.oversampling);
    const bent = new Float64Array(high.length);
    saturateAll(high, curve, cubics, bent);
    for (let i = 0; i < bent.length; i++) bent[i] -= straight * high[i];
    const low = lowered(bent, curve.oversampling);
    for (let i = 0; i < Math.min(hop, signal.length - at); i++)
      output[at + i] = straight * signal[at + i] + low[EDGE + i];
  }
  return output;
}

/** The slope of a curve where most of a sound lies, a quarter of its loudest to either side. */
function chordOf(curve: SaturationCurve): number {
  const usual = curve.reach / 4;
  return (saturatedAt(curve, usual) - saturatedAt(curve, -usual)) / (2 * usual);
}

export type SaturationTask = {
  /** Before and after, channel by channel. */
  under: readonly Float64Array[];
  target: readonly Float64Array[];
  weight: Float64Array;
};

/** Sums of the normal equations over some windows: products of all basis signals, and with the target. */
type Normal = { matrix: Float64Array; right: Float64Array; target: number };

/** Windows with the highest peaks of each of as many parts as are looked at: a curve is judged by what is loud. */
function windowsOf(under: readonly Float64Array[], weight: Float64Array): { channel: number; from: number }[] {
  const hop = WINDOW - 2 * EDGE;
  const all: { channel: number; from: number; peak: number }[] = [];
  for (const [channel, signal] of under.entries()) {
    for (let from = 0; from + WINDOW <= signal.length; from += hop) {
      let [peak, judged] = [0, 0];
      for (let i = EDGE; i < WINDOW - EDGE; i++) {
        if (weight[from + i] === 0) continue;
        judged++;
        const v = Math.abs(signal[from + i]);
        if (v > peak) peak = v;
      }
      if (judged > hop / 4 && peak > 0) all.push({ channel, from, peak });
    }
  }
  return all.sort((a, b) => b.peak - a.peak).slice(0, MOST_WINDOWS);
}

/** Curves fitted on windows of a pair, ready for any weight that divides the windows in two. */
export class SaturationFit {
  private readonly windows: { channel: number; from: number }[];
  readonly reach: number;

  constructor(private readonly task: SaturationTask) {
    this.windows = windowsOf(task.under, task.weight);
    let reach = 0;
    for (const { channel, from } of this.windows)
      for (let i = 0; i < WINDOW; i++) reach = Math.max(reach, Math.abs(task.under[channel][from + i]));
    this.reach = reach;
  }

  get isEmpty(): boolean {
    return this.reach === 0 || this.windows.length < 2;
  }

  /** The curve at the file's own rate with a number of intervals: on every window, and on each half of them for the other's sake. */
  fit(intervals: number): { curve: SaturationCurve; heldOut: number; fitted: number; target: number } {
    const normals = this.windows.map((w) => this.ownNormalOf(w, intervals));
    const sum = (parts: readonly Normal[]) => summed(parts, intervals + 3);
    const halves = [0, 1].map((half) => sum(normals.filter((_, i) => i % 2 === half)));
    const whole = sum(normals);
    const knots = solvedKnots(whole, intervals + 3);
    const heldOut =
      leftOf(halves[1], solvedKnots(halves[0], intervals + 3)) +
      leftOf(halves[0], solvedKnots(halves[1], intervals + 3));
    return {
      curve: { reach: this.reach, knots, oversampling: 1 },
      heldOut,
      fitted: leftOf(whole, knots),
      target: whole.target,
    };
  }

  /** At the file's own rate a sample has to do with four knots alone. */
  private ownNormalOf({ channel, from }: { channel: number; from: number }, intervals: number): Normal {
    const { under, target, weight } = this.task;
    const count = intervals + 3;
    const normal: Normal = { matrix: new Float64Array(count * count), right: new Float64Array(count), target: 0 };
    const [first, end] = [from + EDGE, from + WINDOW - EDGE];
    const places = placesOf(under[channel].subarray(first, end), this.reach, intervals);
    const counted = weight.subarray(first, end);
    const heavy = times(counted, target[channel].subarray(first, end));
    for (let n = 0; n < heavy.length; n++) normal.target += heavy[n] * target[channel][first + n];
    addBasisProducts(places, counted, normal.matrix, count);
    addBasisSums(places, heavy, normal.right);
    return normal;
  }
}

function summed(parts: readonly Normal[], count: number): Normal {
  const total: Normal = { matrix: new Float64Array(count * count), right: new Float64Array(count), target: 0 };
  for (const part of parts) {
    for (let i = 0; i < total.matrix.length; i++) total.matrix[i] += part.matrix[i];
    for (let i = 0; i < count; i++) total.right[i] += part.right[i];
    total.target += part.target;
  }
  return total;
}

function leftOf({ matrix, right, target }: Normal, knots: Float64Array): number {
  const count = knots.length;
  let sum = target;
  for (let a = 0; a < count; a++) {
    let row = 0;
    for (let b = 0; b < count; b++) row += matrix[a * count + b] * knots[b];
    sum += knots[a] * (row - 2 * right[a]);
  }
  return Math.max(0, sum);
}

/** Knots that leave least, second differences held a little. */
const solvedKnots = ({ matrix, right }: Normal, count: number): Float64Array =>
  solveDense(factorDense(heldStraight(matrix.slice(), count), count), right);

/** A normal matrix with the second differences of neighbouring knots held a little. */
export function heldStraight(matrix: Float64Array, count: number): Float64Array {
  let trace = 0;
  for (let i = 0; i < count; i++) trace += matrix[i * count + i];
  const hold = (HOLD * trace) / count + 1e-300;
  const second = [1, -2, 1];
  for (let i = 1; i + 1 < count; i++)
    for (const [p, u] of second.entries())
      for (const [q, v] of second.entries()) matrix[(i - 1 + p) * count + i - 1 + q] += hold * u * v;
  for (let i = 0; i < count; i++) matrix[i * count + i] += hold * 1e-6;
  return matrix;
}

export function slopesOf(signal: Float64Array, curve: SaturationCurve): Float64Array {
  const { reach, knots } = curve;
  const intervals = knots.length - 3;
  const output = new Float64Array(signal.length);
  if (reach === 0) return output;
  // Of each interval's cubic the slope, by the way into it.
  const cubics = cubicsOf(curve);
  const scale = intervals / (2 * reach);
  for (let n = 0; n < output.length; n++) {
    const place = (Math.max(-reach, Math.min(reach, signal[n])) + reach) * scale;
    const k = place >= intervals ? intervals - 1 : Math.floor(place);
    const t = place - k;
    const c = 4 * k;
    output[n] = scale * (cubics[c + 1] + t * (2 * cubics[c + 2] + 3 * t * cubics[c + 3]));
  }
  return output;
}

/** What the knots of a curve do to each sample of a signal, at its own rate. */
export class SaturationBasis {
  private readonly places: Places;
  private readonly size: number;

  constructor(signal: Float64Array, { reach, knots }: SaturationCurve) {
    this.size = knots.length;
    this.places = placesOf(signal, reach, this.size - 3);
  }

  apply(knots: Float64Array, output: Float64Array): void {
    const cubics = cubicsOf({ reach: 1, knots, oversampling: 1 });
    const { interval, into } = this.places;
    for (let n = 0; n < output.length; n++) {
      const c = 4 * interval[n];
      const t = into[n];
      output[n] = cubics[c] + t * (cubics[c + 1] + t * (cubics[c + 2] + t * cubics[c + 3]));
    }
  }

  addAdjoint(signal: Float64Array, knots: Float64Array): void {
    addBasisSums(this.places, signal, knots);
  }

  /** Adds Σ w · basis · basisᵀ to a matrix. */
  addNormal(weight: Float64Array, matrix: Float64Array): void {
    addBasisProducts(this.places, weight, matrix, this.size);
  }
}

/** Points a curve is turned round by. */
const INVERSE_POINTS = 4096;

/**
 * A signal with a curve undone, sample by sample; null where the curve does not rise all the way, or by its lowest way back where that is asked for in any case.
 * Flat ends are left at their beginning.
 */
export function unsaturated(signal: Float64Array, curve: SaturationCurve, inAnyCase = false): Float64Array | null {
  const { reach } = curve;
  if (reach === 0) return null;
  const step = (2 * reach) / INVERSE_POINTS;
  const outputs = Float64Array.from({ length: INVERSE_POINTS + 1 }, (_, i) => saturatedAt(curve, i * step - reach));
  const [first, last] = [outputs[0], outputs[INVERSE_POINTS]];
  const slack = WIGGLE * (last - first);
  let most = first;
  for (const out of outputs) {
    if (out < most - slack && !inAnyCase) return null;
    if (out > most) most = out;
  }
  if (!(last > first)) return null;
  const ends = [slopeOf(curve, -reach), slopeOf(curve, reach)];
  // Where a place on the way from the lowest to the highest begins.
  const starts = new Float64Array(INVERSE_POINTS + 1);
  const scale = INVERSE_POINTS / (most - first);
  let i = 0;
  for (let place = 0; place <= INVERSE_POINTS; place++) {
    const wanted = first + place / scale;
    while (i < INVERSE_POINTS - 1 && outputs[i + 1] < wanted) i++;
    const rise = outputs[i + 1] - outputs[i];
    starts[place] = (i + (rise > 0 ? Math.max(0, Math.min(1, (wanted - outputs[i]) / rise)) : 0)) * step - reach;
  }
  const output = new Float64Array(signal.length);
  for (let n = 0; n < output.length; n++) {
    const v = signal[n];
    if (v <= first) output[n] = ends[0] > LEAST_SLOPE ? -reach + (v - first) / ends[0] : -reach;
    else if (v >= most) output[n] = ends[1] > LEAST_SLOPE ? reach + (v - last) / ends[1] : starts[INVERSE_POINTS];
    else {
      const place = (v - first) * scale;
      const k = Math.min(INVERSE_POINTS - 1, Math.floor(place));
      output[n] = starts[k] + (place - k) * (starts[k + 1] - starts[k]);
    }
  }
  return output;
}
/** A curve that falls by less than this part of its whole rise counts as rising: fits waver. */
const WIGGLE = 1e-3;
