import { readBetween } from "../audio/read-between";
import type { DelayLine } from "./delay-line";
import { stretchesOf, type View } from "./view";

/** Room around a stretch, for the filter that reads between samples and for a clock that runs off. */
const MARGIN = 256;
/** A delay is moved by this much to see what it does to the residual (samples). */
const NUDGE = 0.02;
const MOST_STEPS = 6;
/** A step smaller than this changes no residual that words of 24 bits can hold (samples). */
const SETTLED = 1e-6;
/** What is found has to leave less by this factor (a fifth of a dB), and less than this share (−40 dB): a filter's phase moves what leaves least, a copy's does not. */
const WORTH = 0.955;
const COPY = 1e-4;

export type RefineTask = {
  /** Channels that belong together, as many of either. */
  reference: readonly View[];
  render: readonly View[];
  /** Frames of the reference where stretches begin, and how long they are. */
  starts: readonly number[];
  frames: number;
  line: DelayLine;
  /** The delay is known best at this frame. */
  middleFrame: number;
  /** How far it may be moved: what it is known to. */
  mostSamples: number;
  mostSlope: number;
};

type Sums = { left: number; whole: number; gradient: [number, number]; normal: [number, number, number] };

/** The render's stretches as a line reads them. */
type Read = Float32Array[][];
/** What moving the line does to each frame, for each sample that it is moved by, as it was where the line stood at `shift` and `tilt`. */
type Slopes = { shift: number; tilt: number; of: Read };
/** Slopes are read again where the delay has moved this far since at any frame (samples): up to there they are the same to a few hundredths. */
const SLOPES_HOLD = 0.01;

/**
 * A delay that is no whole number of samples, and the slope of one that grows, where they leave least of the render by one gain for each channel: Gauss and
 * Newton's steps on the signals themselves, within what is known of both. The line as it was where that leaves hardly less.
 */
export function refined(task: RefineTask): DelayLine {
  const { line, middleFrame, mostSamples, mostSlope, reference, starts, frames } = task;
  const moves = line.slope !== 0 && mostSlope > 0;
  const lineBy = (shift: number, tilt: number): DelayLine => ({
    delaySamples: line.delaySamples + shift - tilt * middleFrame,
    slope: line.slope + tilt,
  });
  const wanted = starts.map((start) => stretchesOf(reference, start, frames));
  const slopesAt = (at: DelayLine, shift: number, tilt: number): Slopes => ({ shift, tilt, of: slopesAlong(task, at) });
  let slopes = slopesAt(line, 0, 0);
  const farthest = Math.max(
    ...starts.map((s) => Math.max(Math.abs(s - middleFrame), Math.abs(s + frames - middleFrame))),
  );
  const start = sumsAt(task, wanted, readAll(task, line, 0), slopes.of);
  let best = { left: start.left, shift: 0, tilt: 0 };
  let sums = start;
  let [shift, tilt] = [0, 0];
  for (let step = 0; step < MOST_STEPS; step++) {
    const [a, b, d] = sums.normal;
    const [p, q] = sums.gradient;
    const determinant = a * d - b * b;
    if (!(a > 0)) break;
    const [byShift, byTilt] =
      moves && determinant > 1e-9 * a * d ? [(d * p - b * q) / determinant, (a * q - b * p) / determinant] : [p / a, 0];
    shift = Math.max(-mostSamples, Math.min(mostSamples, shift + byShift));
    tilt = Math.max(-mostSlope, Math.min(mostSlope, tilt + byTilt));
    const moved = lineBy(shift, tilt);
    const since = Math.abs(shift - slopes.shift) + Math.abs(tilt - slopes.tilt) * farthest;
    if (since > SLOPES_HOLD) slopes = slopesAt(moved, shift, tilt);
    sums = sumsAt(task, wanted, readAll(task, moved, 0), slopes.of);
    if (sums.left < best.left) best = { left: sums.left, shift, tilt };
    else break;
    if (Math.abs(byShift) < SETTLED) break;
  }
  return best.left < WORTH * start.left && best.left < COPY * start.whole ? lineBy(best.shift, best.tilt) : line;
}

/** What a line leaves of stretches of the reference, and what moving and tilting it would do. */
function sumsAt({ reference, starts, frames, middleFrame }: RefineTask, wanted: Read, read: Read, slopes: Read): Sums {
  const sums: Sums = { left: 0, whole: 0, gradient: [0, 0], normal: [0, 0, 0] };
  for (const c of reference.keys()) {
    let [product, energy] = [0, 0];
    for (const [i, x] of wanted.entries()) {
      product += productOf(x[c], read[i][c]);
      energy += productOf(read[i][c], read[i][c]);
    }
    const gain = energy > 0 ? product / energy : 0;
    for (const [i, start] of starts.entries())
      addStretch(sums, wanted[i][c], read[i][c], slopes[i][c], gain, start - middleFrame, frames);
  }
  return sums;
}

/** Adds what one stretch of one channel leaves at a gain; `far` is how far its first frame is from where the delay is known best. */
function addStretch(
  sums: Sums,
  x: Float32Array,
  y: Float32Array,
  slopes: Float32Array,
  gain: number,
  far: number,
  frames: number,
): void {
  let left = 0;
  let whole = 0;
  let gradient = 0;
  let tilted = 0;
  let normal = 0;
  let crossProduct = 0;
  let squared = 0;
  for (let n = 0; n < frames; n++) {
    const rest = x[n] - gain * y[n];
    const slope = gain * slopes[n];
    const asked = rest * slope;
    const weight = slope * slope;
    left += rest * rest;
    whole += x[n] * x[n];
    gradient += asked;
    tilted += asked * (far + n);
    normal += weight;
    crossProduct += weight * (far + n);
    squared += weight * (far + n) * (far + n);
  }
  sums.left += left;
  sums.whole += whole;
  sums.gradient[0] += gradient;
  sums.gradient[1] += tilted;
  sums.normal[0] += normal;
  sums.normal[1] += crossProduct;
  sums.normal[2] += squared;
}

function productOf(a: Float32Array, b: Float32Array): number {
  let sum = 0;
  for (let n = 0; n < a.length; n++) sum += a[n] * b[n];
  return sum;
}

const readAll = ({ render, starts, frames }: RefineTask, line: DelayLine, by: number): Read =>
  starts.map((start) => readAlong(render, start, frames, line, by));

function slopesAlong(task: RefineTask, line: DelayLine): Read {
  const [up, down] = [readAll(task, line, NUDGE), readAll(task, line, -NUDGE)];
  return up.map((channels, i) => channels.map((own, c) => own.map((v, n) => (v - down[i][c][n]) / (2 * NUDGE))));
}

function readAlong(render: readonly View[], start: number, frames: number, line: DelayLine, by: number) {
  const from = start + line.delaySamples + line.slope * start + by;
  const whole = Math.floor(from);
  const spanned = Math.ceil(frames * (1 + Math.abs(line.slope))) + 2 * MARGIN;
  return stretchesOf(render, whole - MARGIN, spanned).map((around) =>
    readBetween(around, MARGIN + from - whole, 1 + line.slope, frames),
  );
}
