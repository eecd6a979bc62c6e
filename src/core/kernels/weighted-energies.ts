import { doubles, kernels, memoryFor, placeOf } from "./kernels";

/** K-weighting's two sections: shelf b0 b1 b2 a1 a2, then the high-pass's a1 a2 (its numerator is 1, −2, 1). */
export type KWeightingSections = readonly [number, number, number, number, number, number, number];

/** What the filters of a pair of channels remember from one piece to the next. */
export const restingFilters = (): Float64Array => new Float64Array(8);

/**
 * Adds the weighted energies of a piece of one or two channels in each step to `energies`; `ends` is the frame of the piece that each step
 * ends before, the last one its end. `state` is kept from piece to piece.
 */
export function addWeightedEnergies(
  channels: readonly [Float32Array, Float32Array],
  weights: readonly [number, number],
  sections: KWeightingSections,
  state: Float64Array,
  ends: Int32Array,
  energies: Float64Array,
): void {
  const frames = channels[0].length;
  const [leftRoom, rightRoom, endsAt, sectionsAt, stateAt, weightsAt, energiesAt] = memoryFor(
    4 * frames,
    4 * frames,
    ends.byteLength,
    8 * sections.length,
    state.byteLength,
    16,
    energies.byteLength,
  );
  doubles(sectionsAt, sections.length).set(sections);
  doubles(stateAt, state.length).set(state);
  doubles(weightsAt, 2).set(weights);
  const [left, right] = channels;
  const leftAt = placeOf(left, leftRoom);
  const rightAt = right === left ? leftAt : placeOf(right, rightRoom);
  new Int32Array(kernels.memory.buffer, endsAt, ends.length).set(ends);
  doubles(energiesAt, energies.length).set(energies);
  kernels.weightedEnergies(leftAt, rightAt, endsAt, ends.length, sectionsAt, stateAt, weightsAt, energiesAt);
  energies.set(doubles(energiesAt, energies.length));
  state.set(doubles(stateAt, state.length));
}
