/** The delay found in one part of the passage: `frame` of the reference, weight by how well it is agreed on. */
export type DelayPoint = { frame: number; delaySamples: number; weight: number };

/** Delay along the passage: delaySamples at frame 0, growing by `slope` samples a frame. */
export type DelayLine = { delaySamples: number; slope: number };

export const delayOn = ({ delaySamples, slope }: DelayLine, frame: number): number => delaySamples + slope * frame;

/** Clocks differ by less than this; steeper lines are chance. Common practice: crystals keep within ±100 ppm. */
const STEEPEST_SLOPE = 300e-6;
/** Points this close to a line lie on it. Processing spreads them by parts of a sample. */
const NEAR_SAMPLES = 1.5;
/** How much more must lie on a sloped line than on a flat one. */
const SLOPE_GAIN = 1.15;
/** Fewer points than this say nothing of a slope. */
const FEWEST_POINTS = 4;
/** A slope under three standard errors is not told from none. */
const STANDARD_ERRORS = 3;
/** Less than this from end to end is no drift: it takes −60 dB of a 1 kHz tone to show it. */
const LEAST_SPAN_SAMPLES = 0.02;

/**
 * The line most points lie near: level unless a sloped one catches clearly more, so that parts where the search went astray
 * do not tilt it. `share` is the weight of those near it in the whole. null without points.
 */
export function consensusLine(points: readonly DelayPoint[]): { line: DelayLine; share: number } | null {
  if (points.length === 0) return null;
  const total = points.reduce((sum, p) => sum + p.weight, 0);
  let best: { line: DelayLine; caught: number } = { line: { delaySamples: 0, slope: 0 }, caught: -1 };
  const tryLine = (line: DelayLine) => {
    const caught = weightNear(points, line) / (line.slope === 0 ? 1 : SLOPE_GAIN);
    if (caught > best.caught) best = { line, caught };
  };
  for (const p of points) tryLine({ delaySamples: p.delaySamples, slope: 0 });
  for (const [i, p] of points.entries()) {
    for (const q of points.slice(i + 1)) {
      const slope = (q.delaySamples - p.delaySamples) / (q.frame - p.frame);
      if (Math.abs(slope) <= STEEPEST_SLOPE) tryLine({ delaySamples: p.delaySamples - slope * p.frame, slope });
    }
  }
  const near = points.filter((p) => isNear(p, best.line));
  return {
    line: fittedLine(near, best.line.slope !== 0),
    share: total > 0 ? weightNear(points, best.line) / total : 0,
  };
}

const isNear = (p: DelayPoint, line: DelayLine): boolean =>
  Math.abs(p.delaySamples - delayOn(line, p.frame)) <= NEAR_SAMPLES;

const weightNear = (points: readonly DelayPoint[], line: DelayLine): number =>
  points.reduce((sum, p) => sum + (isNear(p, line) ? p.weight : 0), 0);

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
  const error = Math.sqrt(misfit / Math.max(1, points.length - 2) / spread);
  return { meanFrame, meanDelay, slope, error };
}

/** The slope of points near a line; 0 where it cannot be told from none over the stretch they span. */
export function slopeAlong(points: readonly DelayPoint[], line: DelayLine): number {
  const near = points.filter((p) => isNear(p, line));
  if (near.length < FEWEST_POINTS) return 0;
  const { slope, error } = regression(near);
  const span = near[near.length - 1].frame - near[0].frame;
  return Math.abs(slope) < STANDARD_ERRORS * error || Math.abs(slope) * span < LEAST_SPAN_SAMPLES ? 0 : slope;
}
