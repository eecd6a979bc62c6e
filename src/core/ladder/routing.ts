import { addCross, crossSums } from "../audio/cross-spectra";
import { atan2, cos, sin } from "../audio/exact-math";
import { inverseReal, powerOfTwoAtLeast, windowedSpectrum } from "../audio/fft";
import { throughFilter } from "../audio/through-filters";
import { besselI0, hannWindow, kaiserBeta } from "../audio/window";
import { scaled } from "../numeric/vectors";
import { energyOf, type PairSignals } from "./pair-signals";
import { leastSquaresGain, type Signals } from "./stages";

/** What a chain's channels are. */
export type Domain = "left-right" | "mid-side";

const HALF = Math.SQRT1_2;

/** Left and right as mid and side, or back: the same either way, and no energy is lost. */
export function midSideOf([a, b]: Signals): Float64Array[] {
  const [mid, side] = [new Float64Array(a.length), new Float64Array(a.length)];
  turn(a, b, mid, side);
  return [mid, side];
}

export const inMidSide = (pair: PairSignals): PairSignals => ({
  ...pair,
  here: midSideOf(pair.here),
  yonder: midSideOf(pair.yonder),
});

/** Frames of the local look at 48 kHz; bands as wide as a third of an octave and at least so many bins. */
const FRAME = 2048;
const RATE_HZ = 48_000;
const LEAST_BINS = 6;
const THIRD = 1.26;
/** Mid and side have to leave less than this share (3 dB) of what left and right leave. */
const CLEARLY = 0.5;
/** A side this far under the mid (−60 dB) says nothing. */
const LEAST_SIDE = 1e-6;

/**
 * Whether mid and side were worked on, or left and right: each band of each short frame is given a gain of its own, channel by channel, and what those leave
 * is compared. That holds for filters and moving gains alike.
 */
export function domainOf(pair: PairSignals): Domain {
  if (pair.here.length < 2) return "left-right";
  const size = powerOfTwoAtLeast((FRAME * pair.sampleRateHz) / RATE_HZ / Math.SQRT2);
  const window = hannWindow(size);
  const edges: number[] = [1];
  while (edges[edges.length - 1] < size / 2)
    edges.push(
      Math.min(
        size / 2 + 1,
        Math.max(edges[edges.length - 1] + LEAST_BINS, Math.ceil(edges[edges.length - 1] * THIRD)),
      ),
    );
  const sides = [pair.here, pair.yonder];
  const energies = [0, 0];
  const rest = { leftRight: 0, midSide: 0 };
  const [xm, xs, ym, ys] = Array.from({ length: 4 }, () => new Float64Array(size + 2));
  for (const { from, frames } of pair.stretches) {
    for (let at = from; at + size <= from + frames; at += size / 2) {
      const [xl, xr, yl, yr] = sides.flat().map((signal) => windowedSpectrum(signal, at, window));
      turn(xl, xr, xm, xs);
      turn(yl, yr, ym, ys);
      for (let b = 0; b + 1 < edges.length; b++) {
        const [first, end] = [2 * edges[b], 2 * edges[b + 1]];
        const of = (x: Float64Array, y: Float64Array) => restOf(x, y, first, end);
        rest.leftRight += of(xl, yl) + of(xr, yr);
        rest.midSide += of(xm, ym) + of(xs, ys);
        energies[0] += powerOf(xm, first, end);
        energies[1] += powerOf(xs, first, end);
      }
    }
  }
  if (Math.min(...energies) < LEAST_SIDE * Math.max(...energies)) return "left-right";
  return rest.midSide < CLEARLY * rest.leftRight ? "mid-side" : "left-right";
}

/** Two channels as mid and side, into room that is there. */
function turn(a: Float64Array, b: Float64Array, mid: Float64Array, side: Float64Array): void {
  for (let k = 0; k < a.length; k++) {
    const u = HALF * a[k];
    const v = HALF * b[k];
    mid[k] = u + v;
    side[k] = u - v;
  }
}

function powerOf(spectrum: Float64Array, first: number, end: number): number {
  let sum = 0;
  for (let k = first; k < end; k++) sum += spectrum[k] * spectrum[k];
  return sum;
}

/** What one complex factor leaves of some bins. */
function restOf(x: Float64Array, y: Float64Array, first: number, end: number): number {
  let xx = 0;
  let yy = 0;
  let re = 0;
  let im = 0;
  for (let k = first; k < end; k += 2) {
    const xr = x[k];
    const xi = x[k + 1];
    const yr = y[k];
    const yi = y[k + 1];
    xx += xr * xr + xi * xi;
    yy += yr * yr + yi * yi;
    re += xr * yr + xi * yi;
    im += xr * yi - xi * yr;
  }
  return xx > 0 ? Math.max(0, yy - (re * re + im * im) / xx) : yy;
}

/** A delay between the sides is looked for up to so many seconds. */
const MOST_DELAY_SECONDS = 0.03;
/** Under so many samples it is none: filters alike on both sides leave less. */
const LEAST_SAMPLES = 0.05;
/** Phase readings within a delay's own window count where the coherence is at least this. */
const COHERENT = 0.9;
/** Third octaves have to agree on a delay to within this, in samples, at nine of ten frequencies. */
const AGREED_SAMPLES = 0.35;

/**
 * How late the right side of Yonder is against its left, samples, over what Here has between them: from the phase that the two sides' transfers differ by, which
 * filters alike on both sides do not move. 0 where it is none, or where no single delay makes that phase.
 */
export function delayBetweenSides(pair: PairSignals): number {
  if (pair.here.length < 2) return 0;
  const rateHz = pair.sampleRateHz;
  const size = powerOfTwoAtLeast((16_384 * rateHz) / RATE_HZ / Math.SQRT2);
  const bins = size / 2 + 1;
  const window = hannWindow(size);
  const cross = [0, 1].map(() => crossSums(bins));
  const [{ from: reach }] = pair.stretches;
  let segments = 0;
  for (const { from, frames } of pair.stretches)
    for (let at = from - reach; at + size <= from + frames + reach; at += size / 2) {
      segments++;
      for (const [c, sum] of cross.entries())
        addCross(sum, windowedSpectrum(pair.here[c], at, window), windowedSpectrum(pair.yonder[c], at, window));
    }
  if (segments < 3) return 0;
  // The right side's transfer over the left's, one where both are coherent: its peak over time is the delay.
  const ratio = new Float64Array(2 * bins);
  let known = 0;
  for (let k = 2; k < bins; k++) {
    const isTold = cross.every(({ re, im, xx, yy }) => re[k] ** 2 + im[k] ** 2 > COHERENT * xx[k] * yy[k] && xx[k] > 0);
    if (!isTold) continue;
    const [l, r] = cross;
    const re = r.re[k] * l.re[k] + r.im[k] * l.im[k];
    const im = r.im[k] * l.re[k] - r.re[k] * l.im[k];
    const size_ = Math.sqrt(re * re + im * im);
    ratio[2 * k] = re / size_;
    ratio[2 * k + 1] = im / size_;
    known++;
  }
  if (known < 20) return 0;
  const lags = inverseReal(ratio);
  const most = Math.min(size / 2 - 1, Math.round(MOST_DELAY_SECONDS * rateHz));
  let peak = 0;
  for (let lag = -most; lag <= most; lag++)
    if (Math.abs(lags[(lag + size) % size]) > Math.abs(lags[(peak + size) % size])) peak = lag;
  const isFlipped = lags[(peak + size) % size] < 0;
  // The fraction by least squares on the phase that is over the whole samples, by frequency squared.
  let [product, energy] = [0, 0];
  const readings: number[] = [];
  for (let k = 2; k < bins; k++) {
    if (ratio[2 * k] === 0 && ratio[2 * k + 1] === 0) continue;
    const omega = (2 * Math.PI * k) / size;
    const [c, s] = [cos(omega * peak), sin(omega * peak)];
    const sign = isFlipped ? -1 : 1;
    const re = sign * (ratio[2 * k] * c - ratio[2 * k + 1] * s);
    const im = sign * (ratio[2 * k] * s + ratio[2 * k + 1] * c);
    const phase = atan2(im, re);
    product += omega * phase;
    energy += omega * omega;
    if (k * rateHz > 1000 * size) readings.push(-phase / omega);
  }
  const fraction = energy > 0 ? -product / energy : 0;
  const off = readings.map((r) => Math.abs(r - fraction)).toSorted((a, b) => a - b);
  if (off.length < 20 || off[Math.floor(0.9 * (off.length - 1))] > AGREED_SAMPLES) return 0;
  const delay = peak + fraction;
  return Math.abs(delay) < LEAST_SAMPLES ? 0 : delay;
}

const SINC_REACH = 64;
const SINC_ATTENUATION_DB = 120;

/** A delay of any part of a sample as a filter: a Kaiser-windowed sinc. */
export function delayFilter(samples: number): { responses: Float64Array[]; lead: number } {
  const whole = Math.floor(samples);
  const fraction = samples - whole;
  const beta = kaiserBeta(SINC_ATTENUATION_DB);
  const early = Math.max(SINC_REACH, SINC_REACH - whole);
  const taps = early + Math.max(0, whole) + SINC_REACH + 1;
  const response = new Float64Array(taps);
  for (let i = -SINC_REACH; i <= SINC_REACH; i++) {
    const t = i - fraction;
    const x = t / (SINC_REACH + 1);
    if (Math.abs(x) >= 1) continue;
    const sinc = t === 0 ? 1 : sin(Math.PI * t) / (Math.PI * t);
    response[early + whole + i] = (sinc * besselI0(beta * Math.sqrt(1 - x * x))) / besselI0(beta);
  }
  return { responses: [response], lead: early };
}

/** A pair whose Here has one side moved as Yonder's is: the right one later, or the left one earlier. */
export function withSideMoved(pair: PairSignals, { side, samples }: MovedSide): PairSignals {
  if (samples === 0) return pair;
  const moved = (signal: Float64Array) => throughFilter([signal], delayFilter(samples));
  const [left, right] = pair.here;
  return { ...pair, here: side === "left" ? [moved(left), right] : [left, moved(right)] };
}
export type MovedSide = { side: "left" | "right"; samples: number };

/** Which side of an aligned pair is off, where the right one is so many samples later than the left: the one that leaves less when it is moved. */
export function sideThatIsOff(pair: PairSignals, samples: number): MovedSide {
  const right: MovedSide = { side: "right", samples };
  if (samples === 0) return right;
  const left: MovedSide = { side: "left", samples: -samples };
  const residual = (moved: MovedSide) => {
    const { here, yonder, judged } = withSideMoved(pair, moved);
    const gain = leastSquaresGain(judged, here, yonder);
    return energyOf(
      judged,
      yonder,
      here.map((s) => scaled(s, gain)),
    );
  };
  return residual(left) < residual(right) ? left : right;
}
