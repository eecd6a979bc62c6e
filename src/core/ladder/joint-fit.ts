import { type BendCurve, bent, slopeOf } from "./bend-curve";
import {
  addTimes,
  descend,
  ENOUGH,
  energyUnder,
  type Filter,
  FilterOperator,
  type LeastSquares,
  throughFilter,
} from "./filter-fit";
import { SplineOperator } from "./gain-curve";
import type { ToneForm } from "./tone-fit";
import { whitened } from "./whitening";

/** Steps within one round: the parts only have to settle with each other. */
const MOST_STEPS = 12;

type Signals = readonly Float64Array[];

export type JointTask = {
  here: Signals;
  yonder: Signals;
  weight: Float64Array;
  form: ToneForm;
  filters: Filter[];
  /** One curve for all channels, one each, or none: knots, and how far apart they lie. */
  curves: Float64Array[];
  knotFrames: number;
  toneIsLast: boolean;
  /** Not touched here. */
  bend: BendCurve | null;
  bendIsFirst: boolean;
};

/** What a chain makes of Here, and how its output moves with each part. */
type State = {
  gains: Float64Array[];
  /** What the gain is put on, and how much of a change of it comes through. */
  base: Signals;
  gainSlopes: Signals;
  /** How much of a change of the filter's output comes through. */
  toneSlopes: Signals;
  /** After gain and bend. */
  cored: Signals;
  output: Signals;
};

const ONES = new Map<number, Float64Array>();
function ones(length: number): Float64Array {
  const known = ONES.get(length) ?? new Float64Array(length).fill(1);
  ONES.clear();
  ONES.set(length, known);
  return known;
}

function product(a: Float64Array, b: Float64Array): Float64Array {
  const output = new Float64Array(a.length);
  for (let n = 0; n < a.length; n++) output[n] = a[n] * b[n];
  return output;
}

function slopesOf(signal: Float64Array, curve: BendCurve): Float64Array {
  const output = new Float64Array(signal.length);
  for (let n = 0; n < signal.length; n++) output[n] = slopeOf(curve, signal[n]);
  return output;
}

function stateOf(task: JointTask, filters: Filter[], curves: Float64Array[], spline: SplineOperator): State {
  const { here, toneIsLast, bend, bendIsFirst } = task;
  const length = here[0].length;
  const one = ones(length);
  const gains = curves.map((knots) => {
    const curve = new Float64Array(length);
    spline.apply(knots, curve);
    return curve;
  });
  const gainOf = (c: number) => gains[Math.min(c, gains.length - 1)] ?? one;
  const toned = toneIsLast ? here : here.map((x, c) => throughFilter([x], filters[c]));
  let base = toned;
  let gainSlopes: Signals = toned.map(() => one);
  let toneSlopes: Signals = toned.map((_, c) => gainOf(c));
  let cored: Signals = toned.map((u, c) => product(u, gainOf(c)));
  if (bend && bendIsFirst) {
    base = toned.map((u) => bent(u, bend));
    toneSlopes = toned.map((u, c) => product(gainOf(c), slopesOf(u, bend)));
    cored = base.map((u, c) => product(u, gainOf(c)));
  } else if (bend) {
    gainSlopes = cored.map((v) => slopesOf(v, bend));
    toneSlopes = gainSlopes.map((s, c) => product(s, gainOf(c)));
    cored = cored.map((v) => bent(v, bend));
  }
  const output = toneIsLast ? cored.map((q, c) => throughFilter([q], filters[c])) : cored;
  return { gains, base, gainSlopes, toneSlopes, cored, output };
}

function leftOf(weight: Float64Array, yonder: Signals, output: Signals): number {
  let rest = 0;
  for (const [c, y] of yonder.entries()) {
    const o = output[c];
    for (let n = 0; n < y.length; n++) if (weight[n] !== 0) rest += weight[n] * (y[n] - o[n]) ** 2;
  }
  return rest;
}

/**
 * A filter and a gain over time (or a filter alone, where there is no curve) fitted together, where the one would be long in waiting for the other: one step of Gauss and Newton on
 * y = f(g · (h * x)), or with the filter last, by conjugate gradients on both. Halved while it leaves more than before.
 */
export function fitTogether(task: JointTask): { filters: Filter[]; curves: Float64Array[]; left: number } {
  const { here, yonder, weight, form, knotFrames, toneIsLast } = task;
  const length = weight.length;
  const spline = new SplineOperator(knotFrames, length);
  const curveOf = (c: number) => Math.min(c, task.curves.length - 1);
  const now = stateOf(task, task.filters, task.curves, spline);
  const channels = yonder.length;
  const room = new Float64Array(length);

  const operators = yonder.map((_, c) => {
    if (toneIsLast) return new FilterOperator([now.cored[c]], weight, form.taps, form.lead);
    const felt = new Float64Array(length);
    const slope = now.toneSlopes[c];
    for (let n = 0; n < length; n++) if (weight[n] !== 0) felt[n] = Math.max(1e-12, weight[n] * slope[n] * slope[n]);
    return new FilterOperator([here[c]], felt, form.taps, form.lead);
  });
  const across = task.filters.map(({ responses, lead }) => ({
    responses: [responses[0].slice().reverse()],
    lead: form.taps - 1 - lead,
  }));
  const solvers = task.curves.map((_, i) => {
    const energy = new Float64Array(length);
    for (const [c, signal] of now.base.entries()) {
      if (curveOf(c) !== i) continue;
      const [response] = task.filters[c].responses;
      const loudness = toneIsLast ? energyUnder(ones(response.length), response) : 1;
      const slope = now.gainSlopes[c];
      for (let n = 0; n < length; n++)
        if (weight[n] !== 0) energy[n] += weight[n] * loudness * (signal[n] * slope[n]) ** 2;
    }
    return spline.solver(energy);
  });

  const nothing = new Float64Array(length);
  const moved = task.curves.map(() => new Float64Array(length));
  const felt = now.base.map((u, c) => product(u, now.gainSlopes[c]));
  const problem: LeastSquares = {
    apply: (step, outputs) => {
      for (const [i, gains] of moved.entries()) spline.apply(step[channels + i], gains);
      for (const [c, output] of outputs.entries()) {
        operators[c].apply([step[c]], output);
        const shift = moved[curveOf(c)] ?? nothing;
        const through = felt[c];
        if (toneIsLast) {
          for (let n = 0; n < length; n++) room[n] = shift[n] * through[n];
          addTimes(output, 1, throughFilter([room], task.filters[c]));
        } else {
          const slope = now.toneSlopes[c];
          for (let n = 0; n < length; n++)
            if (weight[n] !== 0) output[n] = slope[n] * output[n] + shift[n] * through[n];
        }
      }
    },
    adjoint: (signals) => {
      const knots = task.curves.map((k) => new Float64Array(k.length));
      const taps = signals.map((signal, c) => {
        const heard = toneIsLast ? throughFilter([signal], across[c]) : signal;
        const through = felt[c];
        for (let n = 0; n < length; n++) room[n] = heard[n] * through[n];
        if (knots.length > 0) spline.addAdjoint(room, knots[curveOf(c)]);
        if (toneIsLast) return operators[c].adjoint(signal)[0];
        const slope = now.toneSlopes[c];
        for (let n = 0; n < length; n++) room[n] = signal[n] * slope[n];
        return operators[c].adjoint(room)[0];
      });
      return [...taps, ...knots];
    },
    precondition: (gradient) => [
      ...operators.map((operator, c) => whitened(gradient[c], operator.whitenings[0])),
      ...solvers.map(({ solve }, i) => solve(gradient[channels + i])),
    ],
    floors: [...operators.map(({ whitenings }) => whitenings[0].floor), ...solvers.map(({ hold }) => hold)],
  };
  const weights = yonder.map(() => weight);
  const left = yonder.map((y, c) => {
    const rest = new Float64Array(length);
    const output = now.output[c];
    for (let n = 0; n < length; n++) if (weight[n] !== 0) rest[n] = y[n] - output[n];
    return rest;
  });
  const start = leftOf(weight, yonder, now.output);
  const whole = yonder.reduce((sum, y) => sum + energyUnder(weight, y), 0);
  const steps = [
    ...task.filters.map(() => new Float64Array(form.taps)),
    ...task.curves.map((k) => new Float64Array(k.length)),
  ];
  descend(problem, steps, left, weights, ENOUGH * whole, MOST_STEPS);
  for (let share = 1; share > 0.1; share /= 2) {
    const stepped = (values: Float64Array, step: Float64Array) => {
      const next = values.slice();
      addTimes(next, share, step);
      return next;
    };
    const filters = task.filters.map(({ responses: [h], lead }, c) => ({ responses: [stepped(h, steps[c])], lead }));
    const curves = task.curves.map((knots, i) => stepped(knots, steps[channels + i]));
    const rest = leftOf(weight, yonder, stateOf(task, filters, curves, spline).output);
    if (rest < start) return { filters, curves, left: rest };
  }
  return { filters: task.filters, curves: task.curves, left: start };
}
