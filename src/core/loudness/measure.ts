import { z } from "zod";
import { type Clip, energy, frameCount, samplePeak } from "../audio/clip";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { measureLoudness } from "./loudness";
import { truePeak } from "./true-peak";

const figure = z.number().nullable();

/** What is known of a clip's level. null: no figure (too short, under the gate, digital silence). */
export const levelsSchema = z.object({
  integratedLufs: figure,
  rangeLu: figure,
  maxMomentaryLufs: figure,
  maxShortTermLufs: figure,
  truePeakDbtp: figure,
  samplePeakDbfs: figure,
  /** Root mean square over all channels and frames; a full-scale sine in every channel reads −3.01. */
  rmsDbfs: figure,
});
export type Levels = z.infer<typeof levelsSchema>;

/** Raise when any figure below would come out differently, so that cached ones are not used. */
export const LEVELS_VERSION = 1;

const orNull = (value: number): number | null => (Number.isFinite(value) ? value : null);

/** Root mean square over all channels and frames; null for digital silence. */
export function rmsDbfs(clip: Clip): number | null {
  return orNull(dbFromPower(energy(clip) / (frameCount(clip) * clip.channels.length)));
}

/** Loudness (BS.1770-5, EBU Tech 3342), true peak, sample peak and RMS of a whole clip. */
export function measureLevels(clip: Clip): Levels {
  return {
    ...measureLoudness(clip),
    truePeakDbtp: orNull(dbFromAmplitude(truePeak(clip))),
    samplePeakDbfs: orNull(dbFromAmplitude(samplePeak(clip))),
    rmsDbfs: rmsDbfs(clip),
  };
}
