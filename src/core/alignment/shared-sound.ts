import { pow } from "../audio/exact-math";
import type { PairSums } from "./pair-spectra";

/** How the channels of the reference are taken together with those of the render: which with which, and whether one is inverted. */
export type Combination = { swapped: boolean; relative: 1 | -1 };

/** One cross-spectrum with the powers on both sides of it. */
export type Shared = {
  frames: number;
  segments: number;
  /** conj(reference) · render, interleaved. */
  cross: Float64Array;
  referencePower: Float64Array;
  renderPower: Float64Array;
};

/** The combinations that there are: one where either has a single channel, else both orders, the second channel upright or inverted. */
export const combinationsOf = ({ referencePowers, renderPowers }: PairSums): Combination[] =>
  referencePowers.length < 2 || renderPowers.length < 2
    ? [{ swapped: false, relative: 1 }]
    : [false, true].flatMap((swapped) => ([1, -1] as const).map((relative) => ({ swapped, relative })));

/** Cross-spectrum of the first reference channel, and of the second times `relative`, with the render's in the order given. */
export function combined(sums: PairSums, { swapped, relative }: Combination): Shared {
  const { frames, segments, referencePowers, renderPowers, crosses } = sums;
  if (crosses.length === 1) {
    return { frames, segments, cross: crosses[0], referencePower: referencePowers[0], renderPower: renderPowers[0] };
  }
  const [first, second] = swapped ? [crosses[1], crosses[2]] : [crosses[0], crosses[3]];
  const added = (a: Float64Array, b: Float64Array, sign: number) => {
    const output = new Float64Array(a.length);
    for (let k = 0; k < output.length; k++) output[k] = a[k] + sign * b[k];
    return output;
  };
  return {
    frames,
    segments,
    cross: added(first, second, relative),
    referencePower: added(referencePowers[0], referencePowers[1], 1),
    renderPower: added(renderPowers[0], renderPowers[1], 1),
  };
}

/** One reference channel against one of the render. */
export const alone = (sums: PairSums, reference: number, render: number): Shared => ({
  frames: sums.frames,
  segments: sums.segments,
  cross: sums.crosses[reference * sums.renderPowers.length + render],
  referencePower: sums.referencePowers[reference],
  renderPower: sums.renderPowers[render],
});

/** Fewer segments than this say too little of a bin: neighbouring bins are taken together. */
const ENOUGH_SEGMENTS = 12;
/** A bin whose coherence chance would give as often as this is taken to share nothing. */
const CHANCE = 1e-3;

/** Sums over `reach` bins to each side. */
function spread(values: Float64Array, reach: number, stride: 1 | 2): Float64Array {
  if (reach === 0) return values;
  const output = new Float64Array(values.length);
  const bins = values.length / stride;
  for (let part = 0; part < stride; part++) {
    let sum = 0;
    for (let k = -reach; k < bins; k++) {
      if (k + reach < bins) sum += values[stride * (k + reach) + part];
      if (k - reach - 1 >= 0) sum -= values[stride * (k - reach - 1) + part];
      if (k >= 0) output[stride * k + part] = sum;
    }
  }
  return output;
}

export type Coherence = {
  /** What it was averaged over; of one segment alone nothing is known. */
  segments: number;
  /** γ² of each bin freed from what chance gives over so few segments; 0 where chance may have given it. */
  shared: Float64Array;
  /** The part of the render's energy that some linear filter of the reference gives, 0 to 1. */
  renderShare: number;
};

/**
 * Magnitude-squared coherence bin by bin (Bendat and Piersol, Random Data). `settled` says that the two lie on each other within a
 * few samples, so that neighbouring bins may be taken together where there are few segments.
 */
export function coherenceOf(shared: Shared, settled: boolean): Coherence {
  const { segments } = shared;
  const reach = settled && segments < ENOUGH_SEGMENTS ? Math.ceil(ENOUGH_SEGMENTS / Math.max(1, segments)) : 0;
  const cross = spread(shared.cross, reach, 2);
  const referencePower = spread(shared.referencePower, reach, 1);
  const renderPower = spread(shared.renderPower, reach, 1);
  // Neighbouring bins of a Hann window are not independent: about two thirds of them count.
  const averages = Math.max(1, segments * (1 + (4 * reach) / 3));
  const chance = averages > 1 ? 1 - pow(CHANCE, 1 / (averages - 1)) : 0;
  const bins = referencePower.length;
  const output = new Float64Array(bins);
  let explained = 0;
  let total = 0;
  for (let k = 0; k < bins; k++) {
    const powers = referencePower[k] * renderPower[k];
    if (powers <= 0) continue;
    const coherence = Math.min(1, (cross[2 * k] ** 2 + cross[2 * k + 1] ** 2) / powers);
    const freed = averages > 1 ? Math.max(0, (coherence - 1 / averages) / (1 - 1 / averages)) : coherence;
    if (coherence > chance) output[k] = freed;
    explained += freed * shared.renderPower[k];
    total += shared.renderPower[k];
  }
  return { segments: averages, shared: output, renderShare: total > 0 ? explained / total : 0 };
}
