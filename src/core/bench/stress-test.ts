import { type Clip, samplePeak, scaleClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { boardingChime, handDrums } from "../demo/passages";

/** What is sent through at absurd gain: tones that ring long, whose harmonics and sums are heard, and strokes that pump and clip. */
export const FORCE_MATERIALS = [
  { key: "struck-bells", title: "struck bells", about: "tonal", make: boardingChime },
  { key: "hand-drums", title: "hand drums", about: "percussive", make: handDrums },
] as const;

export const FORCE_DRIVES_DB = [12, 24, 36, 48] as const;

/** Before it is driven its highest peak stands here (dBFS). */
const PEAK_DBFS = -6;

/** A material with its highest peak at −6 dBFS and the drive. Throws RangeError for a key there is none of. */
export function stressMaterial(key: string, driveDb: number): Clip {
  const material = FORCE_MATERIALS.find((m) => m.key === key);
  if (!material) throw new RangeError(`there is no material ${key}`);
  const clip = material.make();
  return scaleClip(clip, amplitudeFromDb(PEAK_DBFS + driveDb) / samplePeak(clip));
}

/** "Stress test: hand drums, +24 dB". */
export const stressTitle = (materialTitle: string, driveDb: number): string =>
  `Stress test: ${materialTitle}, +${driveDb} dB`;
