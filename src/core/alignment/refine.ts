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

/**
 * A delay that is no whole number of samples, and the slope of one that grows, where they leave least of the render by one gain for each channel: Gauss and
 * Newton's steps on the signals themselves, within what is known of both. The line as it was where that leaves hardly less.
 */
export function refined(task: RefineTask): DelayLine {
  const { line, middleFrame, mostSamples, mostSlope } = task;
  const moves = line.slope !== 0 && mostSlope > 0;
  const lineBy = (shift: number, tilt: number): DelayLine => ({
    delaySamples: line.delaySamples + shift - tilt * middleFrame,
    slope: line.slope + tilt,
  });
  const start = sumsAt(task, line);
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
    sums = sumsAt(task, lineBy(shift, tilt));
    if (sums.left < best.left) best = { left: sums.left, shift, tilt };
    else break;
    if (Math.abs(byShift) < SETTLED) break;
  }
  return best.left < WORTH * start.left && best.left < COPY * start.whole ? lineBy(best.shift, best.tilt) : line;
}

/** What a line leaves, and what moving and tilting it would do. */
function sumsAt({ reference, render, starts, frames, middleFrame }: RefineTask, line: DelayLine): Sums {
  const sums: Sums = { left: 0, whole: 0, gradient: [0, 0], normal: [0, 0, 0] };
  const parts = starts.map((start) => ({
    start,
    x: stretchesOf(reference, start, frames),
    y: readAlong(render, start, frames, line, 0),
    up: readAlong(render, start, frames, line, NUDGE),
    down: readAlong(render, start, frames, line, -NUDGE),
  }));
  for (const c of reference.keys()) {
    let [product, energy] = [0, 0];
    for (const { x, y } of parts)
      for (let n = 0; n < frames; n++) {
        product += x[c][n] * y[c][n];
        energy += y[c][n] * y[c][n];
      }
    const gain = energy > 0 ? product / energy : 0;
    for (const { start, x, y, up, down } of parts)
      for (let n = 0; n < frames; n++) {
        const rest = x[c][n] - gain * y[c][n];
        const slope = (gain * (up[c][n] - down[c][n])) / (2 * NUDGE);
        const far = start + n - middleFrame;
        sums.left += rest * rest;
        sums.whole += x[c][n] * x[c][n];
        sums.gradient[0] += rest * slope;
        sums.gradient[1] += rest * slope * far;
        sums.normal[0] += slope * slope;
        sums.normal[1] += slope * slope * far;
        sums.normal[2] += slope * slope * far * far;
      }
  }
  return sums;
}

function readAlong(render: readonly View[], start: number, frames: number, line: DelayLine, by: number) {
  const from = start + line.delaySamples + line.slope * start + by;
  const whole = Math.floor(from);
  const spanned = Math.ceil(frames * (1 + Math.abs(line.slope))) + 2 * MARGIN;
  return stretchesOf(render, whole - MARGIN, spanned).map((around) =>
    readBetween(around, MARGIN + from - whole, 1 + line.slope, frames),
  );
}
