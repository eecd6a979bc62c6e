/** The delay found in one part of the passage: `frame` of the reference, weight by how well it is agreed on. */
export type DelayPoint = {
  frame: number;
  delaySamples: number;
  weight: number;
  /** How far it may be off by itself. */
  errorSamples: number;
};

/** Delay along the passage: delaySamples at frame 0, growing by `slope` samples a frame. */
export type DelayLine = { delaySamples: number; slope: number };

export const delayOn = ({ delaySamples, slope }: DelayLine, frame: number): number => delaySamples + slope * frame;

/** Clocks differ by less than this; steeper lines are another speed. Common practice: crystals keep within ±100 ppm. */
const STEEPEST_SLOPE = 300e-6;
/** Points this close to a line lie on it. Processing spreads them by parts of a sample. */
const NEAR_SAMPLES = 1.5;
/** How much more must lie on a sloped line than on a flat one. */
const SLOPE_GAIN = 1.15;
/** Fewer points than this say nothing of a slope. */
const FEWEST_POINTS = 4;
/** A slope under three standard errors is not distinguished from none. */
const STANDARD_ERRORS = 3;
/** Less than this from end to end is no drift: it takes −60 dB of a 1 kHz tone to show it. */
const LEAST_SPAN_SAMPLES = 0.02;

/**
 * The line most points lie near: level unless a sloped one catches clearly more, so that parts where the search went astray
 * do not tilt it. `share` is the weight of those near it in the whole. null without points.
 */
export function consensusLine(
  points: readonly DelayPoint[],
  steepest = STEEPEST_SLOPE,
  nearSamples = NEAR_SAMPLES,
): { line: DelayLine; share: number } | null {
  if (points.length === 0) return null;
  const total = points.reduce((sum, p) => sum + p.weight, 0);
  let best: { line: DelayLine; caught: number } = { line: { delaySamples: 0, slope: 0 }, caught: -1 };
  const tryLine = (line: DelayLine) => {
    const caught = weightNear(points, line, nearSamples) / (line.slope === 0 ? 1 : SLOPE_GAIN);
    if (caught > best.caught) best = { line, caught };
  };
  for (const p of points) tryLine({ delaySamples: p.delaySamples, slope: 0 });
  for (const [i, p] of points.entries()) {
    for (const q of points.slice(i + 1)) {
      const slope = (q.delaySamples - p.delaySamples) / (q.frame - p.frame);
      if (Math.abs(slope) <= steepest) tryLine({ delaySamples: p.delaySamples - slope * p.frame, slope });
    }
  }
  const near = points.filter((p) => isNear(p, best.line, nearSamples));
  return {
    line: fittedLine(near, best.line.slope !== 0),
    share: total > 0 ? weightNear(points, best.line, nearSamples) / total : 0,
  };
}

/** Whether a point lies on a line, within what it may be off. */
export const isNear = (p: DelayPoint, line: DelayLine, nearSamples = NEAR_SAMPLES): boolean =>
  Math.abs(p.delaySamples - delayOn(line, p.frame)) <= Math.max(nearSamples, p.errorSamples);

const weightNear = (points: readonly DelayPoint[], line: DelayLine, nearSamples: number): number =>
  points.reduce((sum, p) => sum + (isNear(p, line, nearSamples) ? p.weight : 0), 0);

/** Weighted least squares, level or sloped. */
function fittedLine(points: readonly DelayPoint[], sloped: boolean): DelayLine {
  const { meanFrame, meanDelay, slope } = regression(points);
  return sloped ? { delaySamples: meanDelay - slope * meanFrame, slope } : { delaySamples: meanDelay, slope: 0 };
}

function regression(points: readonly DelayPoint[]) {
  const total = points.reduce((s, p) => s + p.weight, 0);
  const meanFrame = points.reduce((s, p) => s + p.weight * p.frame, 0) / total;
  const meanDelay = points.reduce((s, p) => s + p.weight * p.delaySamples, 0) / total;
  const spread = points.reduce((s, p) => s + p.weight * (p.frame - meanFrame) ** 2, 0);
  const slope =
    spread > 0
      ? points.reduce((s, p) => s + p.weight * (p.frame - meanFrame) * (p.delaySamples - meanDelay), 0) / spread
      : 0;
  const misfit = points.reduce(
    (s, p) => s + p.weight * (p.delaySamples - meanDelay - slope * (p.frame - meanFrame)) ** 2,
    0,
  );
  const error = spread > 0 ? Math.sqrt(misfit / Math.max(1, points.length - 2) / spread) : 0;
  return { meanFrame, meanDelay, slope, error };
}

/** Of a slope that nothing is known of. */
export const UNKNOWN_SLOPE = { slope: 0, error: Number.POSITIVE_INFINITY };

/**
 * The slope of points near a line, with its bound; 0 where it cannot be distinguished from none over the stretch they span, with an infinite
 * bound where too few points say anything.
 */
export function slopeAlong(points: readonly DelayPoint[], line: DelayLine): { slope: number; error: number } {
  const near = points.filter((p) => isNear(p, line));
  if (near.length < FEWEST_POINTS) return UNKNOWN_SLOPE;
  const { slope, error: standardError } = regression(near);
  const span = near[near.length - 1].frame - near[0].frame;
  const bound = STANDARD_ERRORS * standardError;
  const told = Math.abs(slope) >= bound && Math.abs(slope) * span >= LEAST_SPAN_SAMPLES;
  const error = bound + LEAST_SPAN_SAMPLES / span;
  return told ? { slope, error } : { slope: 0, error: error + Math.abs(slope) };
}

/** From somewhere between two frames on, the render lies `samples` later (earlier when negative). */
export type Jump = { fromFrame: number; toFrame: number; samples: number };

/** Two levels must fit this much better than one line before a jump is reported. */
const JUMP_GAIN = 4;
/** One part alone may have gone astray. */
const FEWEST_A_LEVEL = 2;
/** Delays are never taken to be known better than this when a jump is weighed (samples). */
const LEAST_JUMP_ERROR = 0.05;
/** A point further off than five of its errors costs no more than that: the part that a jump falls into lies on neither level. */
const MOST_COST = 25;
/** The standard error that the median of absolute errors stands for, for a normal spread. */
const OF_MEDIAN = 1.4826;

const medianOf = (values: readonly number[]): number => values.toSorted((a, b) => a - b)[values.length >> 1];

/** The two levels that fit best and the place between them, each point weighed by its standard error. */
function twoLevels(points: readonly DelayPoint[], errorOf: (p: DelayPoint) => number, mostCost: number) {
  const costOf = (p: DelayPoint, delay: number) => Math.min(mostCost, ((p.delaySamples - delay) / errorOf(p)) ** 2);
  const levelCost = (part: readonly DelayPoint[], level: number) => part.reduce((sum, p) => sum + costOf(p, level), 0);
  const { meanFrame, meanDelay, slope } = regression(points);
  const lineCost = points.reduce((sum, p) => sum + costOf(p, meanDelay + slope * (p.frame - meanFrame)), 0);
  let best = { cost: Number.POSITIVE_INFINITY, at: 0, from: 0, to: 0 };
  for (let at = FEWEST_A_LEVEL; at <= points.length - FEWEST_A_LEVEL; at++) {
    const [before, after] = [points.slice(0, at), points.slice(at)];
    const [from, to] = [before, after].map((part) => medianOf(part.map((p) => p.delaySamples)));
    const cost = levelCost(before, from) + levelCost(after, to);
    if (cost < best.cost) best = { cost, at, from, to };
  }
  return { ...best, lineCost };
}

/**
 * Where the delay jumps: two levels explain the points far better than one line does, and they are apart by more than they may be
 * off. null where it does not.
 */
export function jumpAlong(points: readonly DelayPoint[]): Jump | null {
  if (points.length < FEWEST_POINTS) return null;
  const told = (p: DelayPoint) => Math.max(LEAST_JUMP_ERROR, p.errorSamples / STANDARD_ERRORS);
  const asTold = twoLevels(points, told, Number.POSITIVE_INFINITY);
  // Points that lie closer to their levels than they were said to are weighed by how close they do lie.
  const offs = points.map((p, i) => Math.abs(p.delaySamples - (i < asTold.at ? asTold.from : asTold.to)));
  const spread = Math.max(LEAST_JUMP_ERROR, OF_MEDIAN * medianOf(offs));
  const asTheyLie = twoLevels(points, (p) => Math.min(spread, told(p)), MOST_COST);
  const worst = medianOf(points.map((p) => p.errorSamples));
  for (const { cost, at, from, to, lineCost } of [asTold, asTheyLie]) {
    const samples = to - from;
    const clearlyBetter = JUMP_GAIN * (cost + points.length) < lineCost;
    if (clearlyBetter && Math.abs(samples) > Math.max(0.5, 2 * worst)) {
      return { fromFrame: points[at - 1].frame, toFrame: points[at].frame, samples };
    }
  }
  return null;
}
