import {
  addCorrelated,
  filteredInto,
  filteredIntoEach,
  forwardReal,
  inverseReal,
  multipliedInto,
  powerOfTwoAtLeast,
} from "../audio/fft";
import { flatWhitening, predictionOf, type Whitening, whitened, whiteningOf } from "./whitening";

/** A filter: one response for each input, tap `lead` of which counts as time zero. */
export type Filter = { responses: Float64Array[]; lead: number };

export type FilterTask = {
  /** One signal, or two that are heard together (left and right for a 2 x 2). All signals are of one length. */
  inputs: readonly Float64Array[];
  target: Float64Array;
  /** Not negative; where it is 0 a frame is not judged. */
  weight: Float64Array;
  taps: number;
  lead: number;
};

/** A white floor this far under the input's power (−110 dB) keeps frequencies that hold nothing from being blown up. */
const FLOOR = 1e-11;
/** Blocks are at least this long, so that short filters are not all overhead. */
const LEAST_BLOCK = 16_384;
/** Steps of conjugate gradients at the most; long filters take more. */
const MOST_STEPS = 40;
const LONG_STEPS = 60;
const LONG_TAPS = 16_384;
/** Steps with all frequencies alike (more for long filters and for two inputs), by a model of so high an order over so low a floor. */
const WHITE_STEPS = 20;
const MANY_WHITE_STEPS = 40;
const WHITE_ORDER = 1024;
const WHITE_FLOOR = 1e-9;
/** Short filters need none. */
const LEAST_WHITE = 64;
/** So many steps together have to take this share off. */
const STEPS_TOGETHER = 4;
const WORTH_THE_STEPS = 0.01;
/** What is left of a target under this share (−95 dB) is as good as nothing. */
export const ENOUGH = 3e-10;

type Run = { from: number; count: number };
type Block = Run & { spectra: Float64Array[] };

/** Stretches of a weight that are not 0. */
function* weighted(weight: Float64Array): Generator<Run> {
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

/** Pieces of at most `most` frames that hold all of a weight that is not 0, from one such frame to another; there may be gaps inside. */
function* covering(weight: Float64Array, most: number): Generator<Run> {
  for (let at = 0; at < weight.length; ) {
    if (weight[at] === 0) {
      at++;
      continue;
    }
    let last = at;
    const end = Math.min(weight.length, at + most);
    for (let n = at; n < end; n++) if (weight[n] !== 0) last = n;
    yield { from: at, count: last + 1 - at };
    at = last + 1;
  }
}

/** Frames [from, from + size) of a signal, silence outside. */
function cut(signal: Float64Array, from: number, size: number): Float64Array {
  if (from >= 0 && from + size <= signal.length) return signal.subarray(from, from + size);
  const piece = new Float64Array(size);
  const [first, end] = [Math.max(0, from), Math.min(signal.length, from + size)];
  if (end > first) piece.set(signal.subarray(first, end), first - from);
  return piece;
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

export function energyUnder(weight: Float64Array, signal: Float64Array, from = 0, end = signal.length): number {
  let sum = 0;
  for (let n = from; n < end; n++) sum += weight[n] * signal[n] * signal[n];
  return sum;
}

/** to += gain · signal */
export function addTimes(to: Float64Array, gain: number, signal: Float64Array): void {
  for (let n = 0; n < to.length; n++) to[n] += gain * signal[n];
}

/** Signals through responses that change while they do not: their spectra are worked out once, where the weight is not 0. */
export class FilterOperator {
  private readonly size: number;
  private readonly blocks: Block[] = [];
  readonly whitenings: Whitening[];
  /** A filter of one tap is a factor: no spectrum is needed for it. */
  private readonly factorOf: Float64Array | null;

  /** `weight` also says how much a frame counts, for what the fit is preconditioned with. */
  constructor(
    inputs: readonly Float64Array[],
    weight: Float64Array,
    readonly taps: number,
    lead: number,
  ) {
    const reach = taps - 1;
    this.size = powerOfTwoAtLeast(Math.max(4 * taps, LEAST_BLOCK));
    this.factorOf = taps === 1 && inputs.length === 1 ? inputs[0] : null;
    if (this.factorOf) {
      const power = energyUnder(weight, this.factorOf);
      this.whitenings = [flatWhitening(power)];
      return;
    }
    let [counted, heard] = [0, 0];
    for (const { from, count } of covering(weight, this.size - reach)) {
      const spectra = inputs.map((x) => forwardReal(cut(x, from + lead - reach, count + reach), this.size));
      this.blocks.push({ from, count, spectra });
      heard += count + reach;
      for (let n = from; n < from + count; n++) counted += weight[n];
    }
    this.whitenings = inputs.map((_, i) =>
      whiteningOf(
        this.blocks.map((b) => b.spectra[i]),
        this.size,
        taps,
        FLOOR,
        heard > 0 ? counted / heard : 1,
      ),
    );
  }

  /** What the responses make of the inputs, written at least where the weight is not 0. */
  apply(responses: readonly Float64Array[], output: Float64Array): void {
    if (this.factorOf) {
      const [factor] = responses[0];
      for (let n = 0; n < output.length; n++) output[n] = factor * this.factorOf[n];
      return;
    }
    const reach = this.taps - 1;
    const responseSpectra = responses.map((h) => forwardReal(h, this.size));
    for (const { from, count, spectra } of this.blocks)
      multipliedInto(responseSpectra, spectra, { output, at: from, from: reach, count });
  }

  /** The way back: what each tap of each response has to do with a signal. */
  adjoint(signal: Float64Array): Float64Array[] {
    if (this.factorOf) return [Float64Array.of(inner([signal], [this.factorOf]))];
    const reach = this.taps - 1;
    const sums = this.whitenings.map(() => new Float64Array(this.size + 2));
    for (const { from, count, spectra } of this.blocks)
      addCorrelated(signal.subarray(from, from + count), reach, spectra, sums);
    return sums.map((sum) => inverseReal(sum).slice(0, this.taps));
  }
}

/** What conjugate gradients need of a problem: min Σ w (J p − r)² + Σ floor · p². Parameters are lists of arrays. */
export type LeastSquares = {
  /** J times a step, channel by channel, into arrays of the signals' length. */
  apply(step: readonly Float64Array[], outputs: readonly Float64Array[]): void;
  /** Jᵀ times signals that are weighted already. */
  adjoint(signals: readonly Float64Array[]): Float64Array[];
  /** About the inverse of Jᵀ W J. */
  precondition(gradient: readonly Float64Array[]): Float64Array[];
  /** A little of the parameter itself, added to what is left: floor · p for each part. */
  floors: readonly number[];
};

/**
 * Conjugate gradients on the normal equations (Hestenes and Stiefel 1952), preconditioned, which are never written out. What is `left` of the
 * target is worked on in place; the steps are added to `parameters`.
 */
export function descend(
  problem: LeastSquares,
  parameters: readonly Float64Array[],
  left: readonly Float64Array[],
  weights: readonly Float64Array[],
  enough: number,
  mostSteps = MOST_STEPS,
): void {
  const outputs = left.map((signal) => new Float64Array(signal.length));
  const heavy = left.map((signal) => new Float64Array(signal.length));
  const runs = weights.map((weight) => [...weighted(weight)]);
  /** Takes so much of the outputs off what is left, weighs it, and gives its energy. */
  const takeOff = (length: number): number => {
    let sum = 0;
    for (const [c, channelRuns] of runs.entries())
      for (const { from, count } of channelRuns)
        sum += takenOff(left[c], length, outputs[c], weights[c], heavy[c], from, from + count);
    return sum;
  };
  const slope = () => {
    const gradient = problem.adjoint(heavy);
    for (const [i, g] of gradient.entries()) addTimes(g, -problem.floors[i], parameters[i]);
    return gradient;
  };
  let before = takeOff(0);
  if (before <= enough) return;
  before *= 1 / (1 - WORTH_THE_STEPS);
  let gradient = slope();
  let step = problem.precondition(gradient);
  const direction = step.map((s) => s.slice());
  let descent = inner(gradient, step);
  for (let round = 0; round < mostSteps && descent > 0; round++) {
    problem.apply(direction, outputs);
    let curvature = 0;
    for (const [c, channelRuns] of runs.entries())
      for (const { from, count } of channelRuns) curvature += energyUnder(weights[c], outputs[c], from, from + count);
    for (const [i, p] of direction.entries()) curvature += problem.floors[i] * inner([p], [p]);
    if (!(curvature > 0)) break;
    const length = descent / curvature;
    for (const [i, p] of parameters.entries()) addTimes(p, length, direction[i]);
    const now = takeOff(length);
    // A step may gain next to nothing and the next ones much: so many together count.
    if (round % STEPS_TOGETHER === 0) {
      if (before - now < WORTH_THE_STEPS * before) break;
      before = now;
    }
    if (now < enough) break;
    gradient = slope();
    step = problem.precondition(gradient);
    const next = inner(gradient, step);
    const keep = next / descent;
    for (const [i, p] of direction.entries()) for (let k = 0; k < p.length; k++) p[k] = step[i][k] + keep * p[k];
    descent = next;
  }
}

/** left −= length · output; heavy = weight · left; Σ weight · left². */
function takenOff(
  left: Float64Array,
  length: number,
  output: Float64Array,
  weight: Float64Array,
  heavy: Float64Array,
  from: number,
  end: number,
): number {
  let sum = 0;
  for (let n = from; n < end; n++) {
    const v = left[n] - length * output[n];
    const h = weight[n] * v;
    left[n] = v;
    heavy[n] = h;
    sum += h * v;
  }
  return sum;
}

/**
 * The finite impulse response that leaves least of a target: min Σ w(n) (d(n) − Σ h(k) x(n + lead − k))²; the signal's own edges count as they
 * are. `from`, of the same taps, is where it begins.
 */
export function fitFilter(
  { inputs, target, weight, taps, lead }: FilterTask,
  from?: Filter,
  mostSteps = taps < LONG_TAPS ? MOST_STEPS : LONG_STEPS,
): Filter {
  if (taps === 1 && inputs.length === 1)
    return { responses: [Float64Array.of(gainOf(inputs[0], target, weight))], lead: 0 };
  const responses = inputs.map((_, i) => from?.responses[i].slice() ?? new Float64Array(taps));
  const whole = energyUnder(weight, target);
  if (whole === 0) return { responses, lead };
  // First with all frequencies alike, which is quick in coming near; then as they are.
  if (!from && taps > LEAST_WHITE) {
    const isMuch = taps >= LONG_TAPS || inputs.length > 1;
    const prediction = [predictionOf(inputs[0], WHITE_ORDER, WHITE_FLOOR)];
    const white = (signal: Float64Array) => throughFilter([signal], { responses: prediction, lead: 0 });
    towards(
      { inputs: inputs.map(white), target: white(target), weight, taps, lead },
      responses,
      isMuch ? MANY_WHITE_STEPS : WHITE_STEPS,
    );
  }
  towards({ inputs, target, weight, taps, lead }, responses, mostSteps);
  return { responses, lead };
}

/** Steps that bring responses nearer to what leaves least. */
function towards(
  { inputs, target, weight, taps, lead }: FilterTask,
  responses: Float64Array[],
  mostSteps: number,
): void {
  const operator = new FilterOperator(inputs, weight, taps, lead);
  const { whitenings } = operator;
  if (whitenings.every(({ floor }) => floor === 0)) return;
  const left = target.slice();
  if (responses.some((h) => h.some((v) => v !== 0))) {
    const output = new Float64Array(target.length);
    operator.apply(responses, output);
    addTimes(left, -1, output);
  }
  const problem: LeastSquares = {
    apply: (step, [output]) => operator.apply(step, output),
    adjoint: ([signal]) => operator.adjoint(signal),
    precondition: (gradient) => gradient.map((g, i) => whitened(g, whitenings[i])),
    floors: whitenings.map(({ floor }) => floor),
  };
  descend(problem, responses, [left], [weight], ENOUGH * energyUnder(weight, target), mostSteps);
}

/** The one factor that leaves least. */
function gainOf(input: Float64Array, target: Float64Array, weight: Float64Array): number {
  let [product, energy] = [0, 0];
  for (let n = 0; n < weight.length; n++) {
    const felt = weight[n] * input[n];
    product += felt * target[n];
    energy += felt * input[n];
  }
  return energy > 0 ? product / energy : 0;
}

/** A signal through each of several responses of one length by itself, tap `lead` at time zero. */
export function throughEach(signal: Float64Array, responses: readonly Float64Array[], lead: number): Float64Array[] {
  const reach = responses[0].length - 1;
  const size = powerOfTwoAtLeast(Math.max(4 * reach, LEAST_BLOCK));
  const hop = size - reach;
  const spectra = responses.map((h) => forwardReal(h, size));
  const outputs = responses.map(() => new Float64Array(signal.length));
  for (let at = 0; at < signal.length; at += hop) {
    const count = Math.min(hop, signal.length - at);
    filteredIntoEach(cut(signal, at + lead - reach, count + reach), spectra, outputs, { at, from: reach, count });
  }
  return outputs;
}

/** Inputs through a filter, summed: as long as they are. */
export function throughFilter(inputs: readonly Float64Array[], { responses, lead }: Filter): Float64Array {
  const taps = responses[0].length;
  if (taps === 1 && inputs.length === 1) {
    const [factor] = responses[0];
    return inputs[0].map((v) => factor * v);
  }
  const size = powerOfTwoAtLeast(Math.max(4 * taps, LEAST_BLOCK));
  const hop = size - (taps - 1);
  const spectra = responses.map((h) => forwardReal(h, size));
  const output = new Float64Array(inputs[0].length);
  for (let at = 0; at < output.length; at += hop) {
    const count = Math.min(hop, output.length - at);
    const pieces = inputs.map((x) => cut(x, at + lead - (taps - 1), count + taps - 1));
    filteredInto(pieces, spectra, { output, at, from: taps - 1, count });
  }
  return output;
}
