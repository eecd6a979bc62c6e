import { addCorrelated, forwardReal, inverseReal, multipliedInto, powerOfTwoAtLeast } from "../audio/fft";
import { cut, type Filter, throughFilter } from "../audio/through-filters";
import { descend, inner, type LeastSquares, type Run } from "../numeric/conjugate-gradients";
import { addTimes, energyUnder, weightedProduct } from "../numeric/vectors";
import { flatWhitening, predictionOf, type Whitening, whitened, whiteningOf } from "./whitening";

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
/** What remains of a target under this share (−95 dB) is as good as nothing. */
export const RESIDUAL_FLOOR_TAPS = 3e-10;

type Block = Run & { spectra: Float64Array[] };

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

/**
 * The finite impulse response that leaves least of a target: min Σ w(n) (d(n) − Σ h(k) x(n + lead − k))²; the signal's own edges count as they
 * are. `from`, of the same taps, is where it begins; that may be near already, or has to be whitened as well.
 */
export function fitFilter(
  { inputs, target, weight, taps, lead }: FilterTask,
  from?: Filter,
  mostSteps = taps < LONG_TAPS ? MOST_STEPS : LONG_STEPS,
  isWhitened = from === undefined,
): Filter {
  if (taps === 1 && inputs.length === 1)
    return { responses: [Float64Array.of(gainOf(inputs[0], target, weight))], lead: 0 };
  const responses = inputs.map((_, i) => from?.responses[i].slice() ?? new Float64Array(taps));
  const whole = energyUnder(weight, target);
  if (whole === 0) return { responses, lead };
  // First with all frequencies alike, which is quick in coming near; then as they are.
  if (isWhitened && taps > LEAST_WHITE) {
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
  descend(problem, responses, [left], [weight], RESIDUAL_FLOOR_TAPS * energyUnder(weight, target), mostSteps);
}

/** The one factor that leaves least. */
function gainOf(input: Float64Array, target: Float64Array, weight: Float64Array): number {
  const energy = energyUnder(weight, input);
  return energy > 0 ? weightedProduct(weight, input, target) / energy : 0;
}
