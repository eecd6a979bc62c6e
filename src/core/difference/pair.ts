import { z } from "zod";
import type { Placement } from "../alignment/alignment";
import { sharedFrames } from "../alignment/in-step";
import { type Clip, scaleClip, sliceClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import { measureLoudness } from "../loudness/loudness";
import { rmsDbfs } from "../loudness/measure";
import { identityOf, leastSquaresGain, residualDb } from "./residual";

const figure = z.number().nullable();

/** A level to match by: loudness where there is one, RMS always but in silence. */
const pairLevelSchema = z.object({ integratedLufs: figure, rmsDbfs: figure });
export type PairLevel = z.infer<typeof pairLevelSchema>;

/** What sets two renders in step apart, over one region. All differences are Yonder minus Here. */
export const pairFiguresSchema = z.object({
  here: pairLevelSchema,
  yonder: pairLevelSchema,
  /** Levels of each measured again with the gains of the match. */
  hereMatched: pairLevelSchema,
  yonderMatched: pairLevelSchema,
  /** Residuals over Here's RMS; null is digital silence or no figure. */
  inStepDb: figure,
  nullDb: figure,
  /** The gain on Yonder, over Here's, that nulls deepest. */
  nullGainDb: figure,
  identical: z.enum(["bit", "24-bit", "16-bit", "no"]),
});
export type PairFigures = z.infer<typeof pairFiguresSchema>;

export const PAIR_VERSION = 1;

/**
 * Measures two renders of one passage, both already in step and of the passage's length, over frames
 * [startFrame, endFrame). `gainsDb` are those of the match.
 */
export function measurePair(
  here: Clip,
  yonder: Clip,
  gainsDb: { here: number; yonder: number },
  region: { startFrame: number; endFrame: number },
): PairFigures {
  const a = sliceClip(here, region.startFrame, region.endFrame);
  const b = sliceClip(yonder, region.startFrame, region.endFrame);
  const nullGain = leastSquaresGain(a, b);
  return {
    here: pairLevel(a),
    yonder: pairLevel(b),
    hereMatched: pairLevel(scaleClip(a, amplitudeFromDb(gainsDb.here))),
    yonderMatched: pairLevel(scaleClip(b, amplitudeFromDb(gainsDb.yonder))),
    inStepDb: residualDb(a, b, 1),
    nullDb: residualDb(a, b, nullGain),
    nullGainDb: nullGain > 0 ? 20 * log10(nullGain) : null,
    identical: identityOf(a, b),
  };
}

const pairLevel = (clip: Clip): PairLevel => ({
  integratedLufs: measureLoudness(clip).integratedLufs,
  rmsDbfs: rmsDbfs(clip),
});

/** Frames of the passage that both aligned renders cover, cut to `region`: what a null can be judged on. */
export function judgedRegion(
  passageFrames: number,
  renders: readonly { placement: Placement; frames: number }[],
  region: { startFrame: number; endFrame: number },
): { startFrame: number; endFrame: number } {
  let { startFrame, endFrame } = region;
  for (const { placement, frames } of renders) {
    const shared = sharedFrames(passageFrames, frames, placement);
    startFrame = Math.max(startFrame, shared.startFrame);
    endFrame = Math.min(endFrame, shared.endFrame);
  }
  return { startFrame, endFrame: Math.max(startFrame, endFrame) };
}
