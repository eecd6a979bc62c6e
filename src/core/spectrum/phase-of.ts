import { type Averaged, sumOfChannels } from "./averaged";
import { type PhaseReading, phaseReading } from "./phase-kind";
import { freedFromChance } from "./transfer";

/** How the second sound's phase stands to the first's, channels together, from averaged spectra of both. */
export function phaseOf({ powers, crosses, segments, sampleRateHz }: Averaged): PhaseReading & {
  response: Float64Array;
  coherence: Float64Array;
} {
  const [a, b] = powers.map(sumOfChannels);
  const cross = sumOfChannels(crosses[0]);
  const coherence = a.map((power, k) => {
    const shared = (cross[2 * k] ** 2 + cross[2 * k + 1] ** 2) / (power * b[k]);
    return power > 0 && b[k] > 0 ? freedFromChance(shared, segments) : 0;
  });
  // The magnitude by both powers: a phase that turns much within a segment takes from the cross-spectrum, not from them.
  const response = cross.map((v, i) => {
    const k = i >> 1;
    const size = Math.sqrt(cross[2 * k] ** 2 + cross[2 * k + 1] ** 2);
    return a[k] > 0 && size > 0 ? (v / size) * Math.sqrt(b[k] / a[k]) : 0;
  });
  return { ...phaseReading(response, coherence, sampleRateHz), response, coherence };
}
