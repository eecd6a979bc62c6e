import { bilinear } from "../audio/analogue";
import { type Biquad, filterInPlace } from "../audio/biquad";
import { addProduct, addTimes, energyUnder, minus, times } from "../numeric/vectors";
import { cellFramesAt, cellsOf, fitGain, gainsOf } from "./gain-curve";
import { leastSquaresGain } from "./stages";

/** Where a bell moves: its centre, Hz, and its Q, as a constant-Q bell's band-pass has it. */
export type Bell = { hertz: number; q: number };

/** The band-pass of a bell: bilinear, as most digital bells have it. */
export const bellBand = ({ hertz, q }: Bell, rateHz: number): Biquad =>
  bilinear({ cornerHz: hertz, numerator: [0, 1 / q, 0], denominator: [1, 1 / q, 1] }, rateHz);

/** What a bell moves of a signal: y = x + (g − 1) · inside(x), as a dynamic equalizer does it (common practice). */
export function insideBell(signal: Float64Array, bell: Bell, rateHz: number): Float64Array {
  const inside = signal.slice();
  filterInPlace(inside, bellBand(bell, rateHz));
  return inside;
}

/** The adjoint of `insideBell`. */
export const insideBellReversed = (signal: Float64Array, bell: Bell, rateHz: number): Float64Array =>
  insideBell(signal.slice().reverse(), bell, rateHz).reverse();

/** A signal with a bell at a gain over time. */
export function throughBell(signal: Float64Array, inside: Float64Array, gains: Float64Array): Float64Array {
  const output = minus(signal, inside);
  addProduct(output, gains, inside);
  return output;
}

/** What a bell has to give by itself: the target without what lies outside of it. */
export function wantedInside(under: Float64Array, inside: Float64Array, target: Float64Array): Float64Array {
  const wanted = minus(target, under);
  addTimes(wanted, 1, inside);
  return wanted;
}

/** Bells are looked for at these places and widths… */
const HERTZ = [60, 90, 135, 200, 300, 450, 670, 1000, 1500, 2200, 3200, 4700, 7000, 10_000, 14_000];
const WIDTHS = [0.6, 1.2, 2.4, 5];
/** … and then moved by these factors. */
const STEPS = [1.26, 1.12, 1.06, 1.03, 1.015];
/** Knots of the gain that are tried while a bell is looked for, in seconds. */
const KNOT_SECONDS = [0.02, 0.08, 0.32];

/** A bell, what its gain over time leaves on what was held out, and the level beside it. */
type Tried = { bell: Bell; heldOut: number; level: number };

/** The bell whose gain over time leaves least of a target on what was held out. */
export function bestBell(under: Float64Array, target: Float64Array, weight: Float64Array, rateHz: number): Tried {
  const cellFrames = cellFramesAt(rateHz);
  const fitted = (bell: Bell, level: number) => {
    const inside = insideBell(under, bell, rateHz);
    const outside = minus(under, inside);
    const wanted = target.slice();
    addTimes(wanted, -level, outside);
    const cells = cellsOf([inside], [wanted], weight, cellFrames);
    const fits = KNOT_SECONDS.map((seconds) => fitGain(cells, cellFrames, Math.round(seconds * rateHz)));
    return { inside, outside, fit: fits.reduce((a, b) => (b.heldOut < a.heldOut ? b : a)) };
  };
  const tried = (bell: Bell, level: number): Tried => ({ bell, level, heldOut: fitted(bell, level).fit.heldOut });
  const better = (a: Tried, b: Tried) => (b.heldOut < a.heldOut ? b : a);
  /** The level of what lies outside, by what the bell at its gain leaves of the target there. */
  const levelled = ({ bell, level }: Tried): Tried => {
    const { inside, outside, fit } = fitted(bell, level);
    const rest = minus(target, times(inside, gainsOf(fit.curve, 0, inside.length)));
    const own = leastSquaresGain(weight, [outside], [rest]);
    return own > 0 ? tried(bell, own) : { bell, level, heldOut: fit.heldOut };
  };
  let best = HERTZ.filter((hertz) => hertz < 0.4 * rateHz)
    .flatMap((hertz) => WIDTHS.map((q) => tried({ hertz, q }, 1)))
    .reduce(better);
  const enough = 1e-9 * energyUnder(weight, target);
  for (const step of STEPS) {
    best = better(best, levelled(best));
    for (let moves = 0; moves < MOST_MOVES && best.heldOut > enough; moves++) {
      const { bell, level } = best;
      const { hertz, q } = bell;
      const moved = [
        { hertz: hertz * step, q },
        { hertz: hertz / step, q },
        { hertz, q: q * step * step },
        { hertz, q: q / (step * step) },
      ]
        .filter((other) => other.hertz < 0.45 * rateHz)
        .map((other) => tried(other, level))
        .reduce(better, best);
      if (moved === best) break;
      best = moved;
    }
  }
  return better(best, levelled(best));
}
const MOST_MOVES = 6;
