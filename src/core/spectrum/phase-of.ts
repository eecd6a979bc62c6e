import type { Averaged } from "./averaged";
import { type PhaseReading, phaseReading } from "./phase-kind";

const sumOf = (channels: readonly Float64Array[]) => {
  const sum = channels[0].slice();
  for (const channel of channels.slice(1)) for (let k = 0; k < sum.length; k++) sum[k] += channel[k];
  return sum;
};

/** How the second sound's phase stands to the first's, channels together, from averaged spectra of both. */
export function phaseOf({ powers, crosses, segments, sampleRateHz }: Averaged): PhaseReading & {
  response: Float64Array;
  coherence: Float64Array;
} {
  const [a, b] = powers.map(sumOf);
  const cross = sumOf(crosses[0]);
  const chance = 1 / Math.max(2, 0.95 * segments);
  const coherence = a.map((power, k) => {
    const shared = (cross[2 * k] ** 2 + cross[2 * k + 1] ** 2) / (power * b[k]);
    return power > 0 && b[k] > 0 ? Math.max(0, (shared - chance) / (1 - chance)) : 0;
  });
  // The magnitude by both powers: a phase that turns much within a segment takes from the cross-spectrum, not from them.
  const response = cross.map((v, i) => {
    const k = i >> 1;
    const size = Math.sqrt(cross[2 * k] ** 2 + cross[2 * k + 1] ** 2);
    return a[k] > 0 && size > 0 ? (v / size) * Math.sqrt(b[k] / a[k]) : 0;
  });
  return { ...phaseReading(response, coherence, sampleRateHz), response, coherence };
}
