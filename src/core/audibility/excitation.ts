import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import type { FrameRange, Sound } from "../audio/sound";
import { Ear } from "./ear-model";

/** Raise when an excitation would come out differently. */
export const EXCITATION_VERSION = 3;

/** Frames that are looked at, at the most, evenly spread. */
const MOST_FRAMES = 1000;
const HUNDREDTHS = 100;

/** What a sound excites in the ear, frame by frame: levels of bands in hundredths of a dB, and the ear's own noise. */
export const excitationSchema = z.object({
  bands: z.number(),
  /** frames · bands */
  levels: z.instanceof(Int16Array),
  noiseDb: z.instanceof(Float64Array),
});
export type Excitation = z.infer<typeof excitationSchema>;

/** Excitation patterns of a region under the ear model of BS.1387, at a gain, channels by their mean power. */
export function excitationOf(
  sound: Sound,
  { startFrame, endFrame }: FrameRange,
  gain: number,
  pause: (share: number) => void = () => {},
): Excitation {
  const ear = new Ear(sound.sampleRateHz);
  const { frame, bandCount } = ear;
  const whole = Math.max(0, Math.floor((endFrame - startFrame - frame) / (frame / 2)) + 1);
  const frames = Math.min(MOST_FRAMES, whole);
  const levels = new Int16Array(frames * bandCount);
  for (let f = 0; f < frames; f++) {
    if (f % 64 === 0) pause(f / frames);
    const at = startFrame + Math.floor((f * whole) / frames) * (frame / 2);
    const channels = sound.read(at, frame);
    const sum = new Float64Array(bandCount);
    for (const channel of channels) {
      const [banded] = ear.bandPowers([channel], [gain]);
      for (let b = 0; b < bandCount; b++) sum[b] += banded[b] / channels.length;
    }
    const excitation = ear.spread(sum);
    for (let b = 0; b < bandCount; b++) levels[f * bandCount + b] = Math.round(HUNDREDTHS * dbFromPower(excitation[b]));
  }
  return { bands: bandCount, levels, noiseDb: ear.noiseDb };
}

/** Louder than the ear's own noise by this, dB, in one of the two: there is something to compare. */
const HEARD_DB = 10;

/**
 * How far two sounds of one passage lie apart to an ear, by estimate: what their excitations differ by, dB, averaged over all moments and bands in which one
 * of them can be heard; null where there is none.
 */
export function apartDb(a: Excitation, b: Excitation): number | null {
  const frames = Math.min(a.levels.length, b.levels.length) / a.bands;
  let [sum, count] = [0, 0];
  for (let f = 0; f < frames; f++) {
    for (let band = 0; band < a.bands; band++) {
      const [x, y] = [a.levels[f * a.bands + band], b.levels[f * a.bands + band]];
      if (Math.max(x, y) < HUNDREDTHS * (a.noiseDb[band] + HEARD_DB)) continue;
      sum += Math.abs(x - y);
      count++;
    }
  }
  return count > 0 ? sum / count / HUNDREDTHS : null;
}
