import { addTimes, energyUnder } from "./vectors";

/** Frames [from, from + count). */
export type Run = { from: number; count: number };

/** Steps at the most. */
const MOST_STEPS = 40;
/** So many steps together have to take this share off. */
const STEPS_TOGETHER = 4;
const WORTH_THE_STEPS = 0.01;

/** Stretches of a weight that are not 0. */
export function* weightedRuns(weight: Float64Array): Generator<Run> {
  for (let at = 0; at < weight.length; ) {
    if (weight[at] === 0) {
      at++;
      continue;
    }
    let end = at + 1;
    while (end < weight.length && weight[end] !== 0) end++;
    yield { from: at, count: end - at };
    at = end;
  }
}

/** Σ a·b over all parts. */
export function inner(a: readonly Float64Array[], b: readonly Float64Array[]): number {
  let sum = 0;
  for (const [i, one] of a.entries()) {
    const other = b[i];
    for (let k = 0; k < one.length; k++) sum += one[k] * other[k];
  }
  return sum;
}

/** What conjugate gradients need of a problem: min Σ w (J p − r)² + Σ floor · p². Parameters are lists of arrays. */
export type LeastSquares = {
  /** J times a step, channel by channel, into arrays of the signals' length. */
  apply(step: readonly Float64Array[], outputs: readonly Float64Array[]): void;
  /** Adjoint: Jᵀ times signals that are weighted already. */
  adjoint(signals: readonly Float64Array[]): Float64Array[];
  /** About the inverse of Jᵀ W J. */
  precondition(gradient: readonly Float64Array[]): Float64Array[];
  /** Ridge weight per block of parameters. */
  floors: readonly number[];
};

/**
 * Conjugate gradients on the normal equations (Hestenes and Stiefel 1952), preconditioned, which are never written out. What is `left` of the
 * target is worked on in place; the steps are added to `parameters`. Answers the energy that is left, and whether further steps would not pay.
 */
export function descend(
  problem: LeastSquares,
  parameters: readonly Float64Array[],
  left: readonly Float64Array[],
  weights: readonly Float64Array[],
  enough: number,
  mostSteps = MOST_STEPS,
): { left: number; isSettled: boolean } {
  const outputs = left.map((signal) => new Float64Array(signal.length));
  const weightedResidual = left.map((signal) => new Float64Array(signal.length));
  const runs = weights.map((weight) => [...weightedRuns(weight)]);
  /** Takes so much of the outputs off the residual, weighs it, and gives its energy. */
  const takeOff = (length: number): number => {
    let sum = 0;
    for (const [c, channelRuns] of runs.entries())
      for (const { from, count } of channelRuns)
        sum += takenOff(left[c], length, outputs[c], weights[c], weightedResidual[c], from, from + count);
    return sum;
  };
  const slope = () => {
    const gradient = problem.adjoint(weightedResidual);
    for (const [i, g] of gradient.entries()) addTimes(g, -problem.floors[i], parameters[i]);
    return gradient;
  };
  let before = takeOff(0);
  if (before <= enough) return { left: before, isSettled: true };
  before *= 1 / (1 - WORTH_THE_STEPS);
  let gradient = slope();
  let step = problem.precondition(gradient);
  const direction = step.map((s) => s.slice());
  let descent = inner(gradient, step);
  let now = before;
  for (let round = 0; round < mostSteps && descent > 0; round++) {
    problem.apply(direction, outputs);
    let curvature = 0;
    for (const [c, channelRuns] of runs.entries())
      for (const { from, count } of channelRuns) curvature += energyUnder(weights[c], outputs[c], from, from + count);
    for (const [i, p] of direction.entries()) curvature += problem.floors[i] * inner([p], [p]);
    if (!(curvature > 0)) break;
    const length = descent / curvature;
    for (const [i, p] of parameters.entries()) addTimes(p, length, direction[i]);
    now = takeOff(length);
    // A step may gain next to nothing and the next ones much: so many together count.
    if (round % STEPS_TOGETHER === 0) {
      if (before - now < WORTH_THE_STEPS * before) return { left: now, isSettled: true };
      before = now;
    }
    if (now < enough) return { left: now, isSettled: true };
    gradient = slope();
    step = problem.precondition(gradient);
    const next = inner(gradient, step);
    const keep = next / descent;
    for (const [i, p] of direction.entries()) for (let k = 0; k < p.length; k++) p[k] = step[i][k] + keep * p[k];
    descent = next;
  }
  return { left: now, isSettled: false };
}

/** left −= length · output; weightedResidual = weight · left; Σ weight · left². */
function takenOff(
  left: Float64Array,
  length: number,
  output: Float64Array,
  weight: Float64Array,
  weightedResidual: Float64Array,
  from: number,
  end: number,
): number {
  let sum = 0;
  for (let n = from; n < end; n++) {
    const v = left[n] - length * output[n];
    const h = weight[n] * v;
    left[n] = v;
    weightedResidual[n] = h;
    sum += h * v;
  }
  return sum;
}
