import { z } from "zod";
import { type Clip, energy, frameCount, samplePeak } from "../audio/clip";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { measureLoudness } from "./loudness";
import { truePeak } from "./true-peak";

const figure = z.number().nullable();

/** What is known of a clip's level. null: no figure (too short, under the gate, digital silence). */
export const levelsSchema = z.object({
  integratedLufs: figure,
  /** How the integrated figure moves with gain; none in figures kept by earlier versions. */
  gating: z.array(z.object({ fromGainDb: z.number(), integratedLufs: z.number() })).default(() => []),
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
export const LEVELS_VERSION = 2;

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

const channelLevelsSchema = z.object({
  samplePeakDbfs: figure,
  truePeakDbtp: figure,
  rmsDbfs: figure,
  /** Mean of the samples, in dB of full scale; null where it is nought. */
  dcDbfs: figure,
});
export type ChannelLevels = z.infer<typeof channelLevelsSchema>;

/** The levels of a stretch with those of each channel. */
export const stretchLevelsSchema = levelsSchema.extend({ channels: z.array(channelLevelsSchema) });
export type StretchLevels = z.infer<typeof stretchLevelsSchema>;

/** The same for a stretch, with each channel on its own. */
export function measureStretch(clip: Clip): StretchLevels {
  const channels = clip.channels.map((channel): ChannelLevels => {
    const alone = { ...clip, channels: [channel] };
    let sum = 0;
    for (let i = 0; i < channel.length; i++) sum += channel[i];
    return {
      samplePeakDbfs: orNull(dbFromAmplitude(samplePeak(alone))),
      truePeakDbtp: orNull(dbFromAmplitude(truePeak(alone))),
      rmsDbfs: rmsDbfs(alone),
      dcDbfs: orNull(dbFromAmplitude(Math.abs(sum) / frameCount(clip))),
    };
  });
  return { ...measureLevels(clip), channels };
}

/** True peak over loudness and the like, in dB; null where a part of it has no figure. */
export type Dynamics = { plrDb: number | null; psrDb: number | null; crestDb: number | null };

/**
 * Peak to loudness ratio = true peak − integrated; peak to short-term ratio = true peak − loudest short-term; crest factor = sample
 * peak − RMS (a sine 3.01 dB).
 */
export function dynamicsOf(levels: Levels): Dynamics {
  const apart = (a: number | null, b: number | null) => (a === null || b === null ? null : a - b);
  return {
    plrDb: apart(levels.truePeakDbtp, levels.integratedLufs),
    psrDb: apart(levels.truePeakDbtp, levels.maxShortTermLufs),
    crestDb: apart(levels.samplePeakDbfs, levels.rmsDbfs),
  };
}

/**
 * How much more the right channel stands over the left than it does in the dry render, in dB of RMS; null where either is mono or a
 * channel silent. Left and right are matched together, so this stays after the match.
 */
export function imbalanceDb(dry: StretchLevels, render: StretchLevels): number | null {
  const balance = ({ channels: [left, right] }: StretchLevels) =>
    left?.rmsDbfs != null && right?.rmsDbfs != null ? right.rmsDbfs - left.rmsDbfs : null;
  const [was, is] = [balance(dry), balance(render)];
  return was === null || is === null ? null : is - was;
}
