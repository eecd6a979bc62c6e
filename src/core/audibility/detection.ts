import { log10, pow } from "../audio/exact-math";

// Detection of change after ITU-R BS.1387 (advanced version's model output "probability of detection"); constants from memory, the document was not at hand.

/** The change in excitation that is heard half of the time, dB, by the level of the excitation in dB; none under nought. */
export function stepSizeDb(levelDb: number): number {
  if (!(levelDb > 0)) return Number.POSITIVE_INFINITY;
  const l2 = levelDb * levelDb;
  return (
    5.950_72 * pow(6.394_68 / levelDb, 1.713_32) +
    9.010_33e-11 * l2 * l2 +
    5.056_22e-6 * l2 * levelDb -
    0.001_024_38 * l2 +
    0.055_019_7 * levelDb -
    0.198_719
  );
}

const HALF = log10(2);
const [RISES, FALLS] = [4, 6];
/** log10 of what makes a change of one step size be heard half of the time. */
const SCALES = { [RISES]: pow(10, log10(HALF) / RISES), [FALLS]: pow(10, log10(HALF) / FALLS) };

/** −log10 of the chance that a change from one excitation to another (dB) goes unheard in a band; strengths of bands add up. */
export function changeStrength(fromDb: number, toDb: number): number {
  const steepness = fromDb > toDb ? RISES : FALLS;
  const size = stepSizeDb(0.3 * Math.max(fromDb, toDb) + 0.7 * Math.min(fromDb, toDb));
  if (size === Number.POSITIVE_INFINITY) return 0;
  const steps = (SCALES[steepness] * Math.abs(fromDb - toDb)) / size;
  return steps > 30 ? 1e6 : pow(steps, steepness);
}

/** A chance of being heard from a strength. */
export const probabilityOf = (strength: number): number => 1 - pow(10, -Math.min(strength, 300));

/** A noise-to-mask ratio of 1 is heard half of the time, one of a tenth in one of 140; common practice, no published source. */
export const addedStrength = (ratio: number): number => HALF * ratio * ratio;

/**
 * Between channels: level differences of 0.75 dB, time differences of 20 µs below 1.5 kHz, and a loss of coherence of 0.04 from 1 (0.35 from none) are heard half
 * of the time: values as common knowledge of the literature, from memory.
 */
export const LEVEL_STEP_DB = 0.75;
export const TIME_STEP_SECONDS = 20e-6;
export const coherenceStep = (coherence: number): number => 0.04 + 0.31 * (1 - coherence);

export const betweenStrength = (steps: number): number => HALF * pow(Math.min(steps, 100), 4);

/** From this chance on a difference is likely heard; from that on it may be. */
export const LIKELY = 0.5;
export const POSSIBLE = 0.2;
