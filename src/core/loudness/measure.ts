import { z } from "zod";
import type { Clip } from "../audio/clip";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { piecesOf, type Sound, soundOf } from "../audio/sound";
import { whileLaid } from "../kernels/kernels";
import { innerProduct, sumOfSamples } from "../kernels/sums";
import { gatingStepSchema, LoudnessMeter } from "./loudness";
import { PeakMeter } from "./true-peak";

const figure = z.number().nullable();

/** What is known of a clip's level. null: no figure (too short, under the gate, digital silence). */
export const levelsSchema = z.object({
  integratedLufs: figure,
  /** How the integrated figure moves with gain; none in figures kept by earlier versions. */
  gating: z.array(gatingStepSchema).default(() => []),
  rangeLu: figure,
  maxMomentaryLufs: figure,
  maxShortTermLufs: figure,
  truePeakDbtp: figure,
  samplePeakDbfs: figure,
  /** Root mean square over all channels and frames; a full-scale sine in every channel reads −3.01. */
  rmsDbfs: figure,
});
export type Levels = z.infer<typeof levelsSchema>;

/** A sound that nobody has measured. */
export const NO_LEVELS: Levels = {
  integratedLufs: null,
  gating: [],
  rangeLu: null,
  maxMomentaryLufs: null,
  maxShortTermLufs: null,
  truePeakDbtp: null,
  samplePeakDbfs: null,
  rmsDbfs: null,
};

/** Raise when any figure below would come out differently, so that cached ones are not used. */
export const LEVELS_VERSION = 2;

const orNull = (value: number): number | null => (Number.isFinite(value) ? value : null);

/** Root mean square of so many samples with this sum of squares; null for digital silence. */
export const rmsDbfs = (energy: number, samples: number): number | null => orNull(dbFromPower(energy / samples));

/** Loudness (BS.1770-5, EBU Tech 3342), true peak, sample peak and RMS of a whole sound, read once. */
export function measureLevels(sound: Sound | Clip): Levels {
  const { channels: _, ...levels } = measureStretch(sound);
  return levels;
}

const channelLevelsSchema = z.object({
  samplePeakDbfs: figure,
  truePeakDbtp: figure,
  rmsDbfs: figure,
  /** Mean of the samples, in dB of full scale; null where it is nought. */
  dcDbfs: figure,
});

/** The levels of a stretch with those of each channel. */
export const stretchLevelsSchema = levelsSchema.extend({ channels: z.array(channelLevelsSchema) });
export type StretchLevels = z.infer<typeof stretchLevelsSchema>;

/** The same with each channel on its own. */
export function measureStretch(clip: Sound | Clip): StretchLevels {
  const sound = soundOf(clip);
  const { channelCount, frames } = sound;
  const loudness = new LoudnessMeter(sound);
  const peaks = new PeakMeter(channelCount);
  const energies = new Float64Array(channelCount);
  const sums = new Float64Array(channelCount);
  for (const { channels } of piecesOf(sound)) {
    whileLaid(channels, () => {
      loudness.add(channels);
      peaks.add(channels);
      for (const [c, channel] of channels.entries()) {
        energies[c] += innerProduct(channel, channel);
        sums[c] += sumOfSamples(channel);
      }
    });
  }
  const { truePeak, samplePeak, ofEach } = peaks.finish();
  return {
    ...loudness.figures(),
    truePeakDbtp: orNull(dbFromAmplitude(truePeak)),
    samplePeakDbfs: orNull(dbFromAmplitude(samplePeak)),
    rmsDbfs: rmsDbfs(
      energies.reduce((a, b) => a + b, 0),
      frames * channelCount,
    ),
    channels: ofEach.map((one, c) => ({
      samplePeakDbfs: orNull(dbFromAmplitude(one.samplePeak)),
      truePeakDbtp: orNull(dbFromAmplitude(one.truePeak)),
      rmsDbfs: rmsDbfs(energies[c], frames),
      dcDbfs: orNull(dbFromAmplitude(Math.abs(sums[c]) / frames)),
    })),
  };
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
