import { cos, sin } from "../audio/exact-math";
import type { Polarity } from "./alignment";
import { type DelayFit, fitDelay } from "./delay-fit";
import { gainOf } from "./minimum-phase";
import type { PairSums } from "./pair-spectra";
import { alone, type Combination, coherenceOf, combined } from "./shared-sound";

/** Which channel became which, and how each stands. */
export type ChannelOrder = {
  polarity: { left: Polarity; right: Polarity };
  swapped: boolean;
  /** The other order explains the render nearly as well, though it would make a difference. */
  orderDoubtful: boolean;
  /** How much later the right channel is than the left, beyond what both may be off; 0 where they are in time. */
  rightLateSamples: number;
};

/** A channel pair shares a sound when this much of either is explained by the other (correlation). */
const LEAST_CORRELATION = 0.2;
/** A channel this far under the fuller one (power) has nothing to say. */
const LEAST_POWER_SHARE = 1e-6;
/** Share of the shared sound that agrees on a channel's own delay, at the least, for that to be believed. */
const LEAST_AGREEMENT = 0.6;
/** Delays of the two sides that lie closer than this are one: an equalizer on one side turns that much. */
const SIDES_APART_SAMPLES = 2;
/** Parts that speak for the other order may hold this share of what all parts say. */
const MOST_AGAINST = 0.2;
/** The residual of the two orders differs by less than this share of the sound: nobody could hear which it is. */
const LEAST_ORDER_DIFFERENCE = 1e-6;

/** What of each pair of channels lies on the delay found, in units of energy: Re Σ gain · cross, and the energies of both. */
type Matrix = { products: number[][]; reference: number[]; render: number[] };

function productsOf(sums: PairSums, gain: Float64Array, turn: Float64Array): Matrix {
  const product = (cross: Float64Array) => {
    let sum = 0;
    for (let k = 0; k < gain.length; k++)
      sum += gain[k] * (cross[2 * k] * turn[2 * k] + cross[2 * k + 1] * turn[2 * k + 1]);
    return sum;
  };
  const energyOf = (power: Float64Array, gains: Float64Array | null) =>
    power.reduce((sum, p, k) => sum + p * (gains ? gains[k] * gains[k] : 1), 0);
  const count = sums.renderPowers.length;
  return {
    products: sums.referencePowers.map((_, i) => sums.renderPowers.map((_, j) => product(sums.crosses[i * count + j]))),
    reference: sums.referencePowers.map((power) => energyOf(power, gain)),
    render: sums.renderPowers.map((power) => energyOf(power, null)),
  };
}

/** The phase that the fit takes for delay and for the filter's own, as unit phasors. */
function turnOf({ offsetSamples, ownPhase }: DelayFit, frames: number): Float64Array {
  const turn = new Float64Array(frames + 2);
  for (let k = 0; k <= frames / 2; k++) {
    const angle = (-2 * Math.PI * k * offsetSamples) / frames;
    const [c, s] = [cos(angle), sin(angle)];
    const [re, im] = ownPhase ? [ownPhase[2 * k], ownPhase[2 * k + 1]] : [1, 0];
    turn[2 * k] = c * re - s * im;
    turn[2 * k + 1] = s * re + c * im;
  }
  return turn;
}

const correlationOf = ({ products, reference, render }: Matrix, i: number, j: number): number => {
  const energies = reference[i] * render[j];
  return energies > 0 ? products[i][j] / Math.sqrt(energies) : 0;
};

const signOf = (value: number): Polarity => (value < 0 ? -1 : 1);

/**
 * Order and polarity of the channels, each of the reference held directly against each of the render through the filter that the
 * whole found: the order that leaves the smaller residual holds. `parts` are the sums of single parts of the passage, which tell how
 * sure that is. A channel that shares nothing goes with the other one.
 */
export function channelOrder(
  whole: PairSums,
  parts: readonly PairSums[],
  fit: DelayFit,
  combination: Combination,
): ChannelOrder {
  if (whole.renderPowers.length < 2) {
    const both = { left: fit.polarity, right: fit.polarity };
    return { polarity: both, swapped: false, orderDoubtful: false, rightLateSamples: 0 };
  }
  const shared = combined(whole, combination);
  const gain = gainOf(shared);
  const turn = turnOf(fit, shared.frames);
  const matrix = productsOf(whole, gain, turn);
  const lead = ({ products: p }: Matrix) =>
    Math.abs(p[0][0]) + Math.abs(p[1][1]) - Math.abs(p[0][1]) - Math.abs(p[1][0]);
  const straightLead = lead(matrix);
  const told = orderByFilters(whole);
  const leansSwapped = straightLead < -1e-9 * (matrix.render[0] + matrix.render[1]);
  // Where filters say little, both have to say that sides have changed places.
  const swapped = told.clearly === "open" ? leansSwapped && told.leansSwapped : told.clearly === "swapped";
  const [first, second] = swapped ? [1, 0] : [0, 1];
  const signs = [
    {
      sign: signOf(matrix.products[0][first]),
      correlation: correlationOf(matrix, 0, first),
      power: matrix.reference[0],
    },
    {
      sign: signOf(matrix.products[1][second]),
      correlation: correlationOf(matrix, 1, second),
      power: matrix.reference[1],
    },
  ];
  // A side with a delay of its own says by that delay which way up it is.
  const sides = sidesOf(whole, first, second);
  for (const [c, side] of sides.entries())
    if (side && Math.abs(side.offsetSamples - fit.offsetSamples) > SIDES_APART_SAMPLES + side.errorSamples)
      signs[c].sign = side.polarity;
  const fuller = signs[0].power >= signs[1].power ? signs[0] : signs[1];
  const polarityOf = (one: (typeof signs)[number]) =>
    Math.abs(one.correlation) >= LEAST_CORRELATION && one.power > LEAST_POWER_SHARE * fuller.power
      ? one.sign
      : fuller.sign;
  return {
    polarity: { left: polarityOf(signs[0]), right: polarityOf(signs[1]) },
    swapped,
    orderDoubtful:
      told.clearly === "open" &&
      isDoubtful(
        matrix,
        straightLead,
        parts.map((part) => lead(productsOf(part, gain, turn))),
        leansSwapped !== swapped,
      ),
    rightLateSamples: sidesApart(sides),
  };
}

/** One order has to leave this much less (3 dB) of the render than the other, by what any filter of each channel could explain. */
const CLEARLY_LESS = 0.5;
/** And this much less where it is the products that speak for it. */
const LEANING = 0.9;
/** Fewer segments say next to nothing of what a filter could explain. */
const ENOUGH_SEGMENTS = 8;
/** Under this share (−90 dB) nothing is left. */
const NOTHING_LEFT = 1e-9;

/**
 * The order that what any filter could make of each channel clearly speaks for: an equalizer, a invert or crossovers on one side say nothing against it, while the
 * products at one gain may.
 */
function orderByFilters({ referencePowers, crosses, renderPowers, segments }: PairSums): {
  clearly: "straight" | "swapped" | "open";
  leansSwapped: boolean;
} {
  if (referencePowers.length < 2) return { clearly: "straight", leansSwapped: false };
  if (segments < ENOUGH_SEGMENTS) return { clearly: "open", leansSwapped: true };
  const count = renderPowers.length;
  const left = (i: number, j: number) => {
    const cross = crosses[i * count + j];
    let [sum, whole] = [0, 0];
    for (const [k, power] of referencePowers[i].entries()) {
      whole += renderPowers[j][k];
      if (power > 0) sum += (cross[2 * k] * cross[2 * k] + cross[2 * k + 1] * cross[2 * k + 1]) / power;
    }
    return { left: Math.max(0, whole - sum), whole };
  };
  const [a, b, c, d] = [left(0, 0), left(1, 1), left(0, 1), left(1, 0)];
  const floor = NOTHING_LEFT * (a.whole + b.whole);
  const [straight, across] = [a.left + b.left + floor, c.left + d.left + floor];
  const clearly = straight < CLEARLY_LESS * across ? "straight" : across < CLEARLY_LESS * straight ? "swapped" : "open";
  return { clearly, leansSwapped: across < LEANING * straight };
}

/** Whether parts of the passage speak for either order, where it would matter which. */
function isDoubtful(
  { render, reference }: Matrix,
  lead: number,
  leads: readonly number[],
  isOverruled: boolean,
): boolean {
  const total = Math.sqrt((render[0] + render[1]) * (reference[0] + reference[1]));
  if (leads.length < 2 || Math.abs(lead) <= LEAST_ORDER_DIFFERENCE * total) return false;
  if (isOverruled) return true;
  const all = leads.reduce((sum, v) => sum + Math.abs(v), 0);
  const against = leads.reduce((sum, v) => sum + (v * lead < 0 ? Math.abs(v) : 0), 0);
  return against > MOST_AGAINST * all;
}

/** Each channel of the render against its own of the reference; null where they share too little. */
function sidesOf(whole: PairSums, first: number, second: number): (DelayFit | null)[] {
  return [alone(whole, 0, first), alone(whole, 1, second)].map((shared) => {
    const fit = fitDelay(shared, coherenceOf(shared, false));
    return fit && fit.agreement >= LEAST_AGREEMENT ? fit : null;
  });
}

/** How much later the second channel is than the first; 0 where that is within what they may be off. */
function sidesApart([left, right]: readonly (DelayFit | null)[]): number {
  if (!left || !right) return 0;
  const apart = right.offsetSamples - left.offsetSamples;
  return Math.abs(apart) > SIDES_APART_SAMPLES + left.errorSamples + right.errorSamples ? apart : 0;
}
