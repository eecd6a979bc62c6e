import { doubles, kernels, places, singles } from "./kernels";

/** K-weighting's two sections: shelf b0 b1 b2 a1 a2, then the high-pass's a1 a2 (its numerator is 1, −2, 1). */
export type KWeightingSections = readonly [number, number, number, number, number, number, number];

/** Adds the weighted energies of one or two channels in each step to `energies`; `ends` is the frame each step ends before. */
export function addWeightedEnergies(
  channels: readonly [Float32Array, Float32Array],
  weights: readonly [number, number],
  sections: KWeightingSections,
  ends: Int32Array,
  energies: Float64Array,
): void {
  const stepsAPiece = 512;
  const widest = ends.reduce((most, end, i) => Math.max(most, end - (ends[i - 1] ?? 0)), 0);
  const frames = widest * stepsAPiece;
  const [leftAt, rightAt, endsAt, sectionsAt, stateAt, weightsAt, energiesAt] = places(
    4 * frames,
    4 * frames,
    4 * stepsAPiece,
    8 * sections.length,
    64,
    16,
    8 * stepsAPiece,
  );
  doubles(sectionsAt, sections.length).set(sections);
  doubles(stateAt, 8).fill(0);
  doubles(weightsAt, 2).set(weights);
  for (let step = 0; step < ends.length; step += stepsAPiece) {
    const steps = Math.min(stepsAPiece, ends.length - step);
    const first = step === 0 ? 0 : ends[step - 1];
    const last = ends[step + steps - 1];
    singles(leftAt, last - first).set(channels[0].subarray(first, last));
    singles(rightAt, last - first).set(channels[1].subarray(first, last));
    const places32 = new Int32Array(kernels.memory.buffer, endsAt, steps);
    for (let i = 0; i < steps; i++) places32[i] = ends[step + i] - first;
    const part = doubles(energiesAt, steps);
    part.set(energies.subarray(step, step + steps));
    kernels.weightedEnergies(leftAt, rightAt, endsAt, steps, sectionsAt, stateAt, weightsAt, energiesAt);
    energies.set(part, step);
  }
}
