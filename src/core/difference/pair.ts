import { z } from "zod";
import type { Placement } from "../alignment/alignment";
import { sharedFrames } from "../alignment/in-step";
import { type Clip, scaleClip, sliceClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import { measureLoudness } from "../loudness/loudness";
import { rmsDbfs } from "../loudness/measure";
import { identityOf, pairEnergies, residualDb } from "./residual";

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
  /** At the gain, never negative, that leaves least: a level does not hide what timing does, and a flip stays one. */
  nullDb: figure,
  /** That gain on Yonder, over Here's; null where none leaves less than no Yonder at all. */
  nullGainDb: figure,
  /** Energies of both over what was judged, and their product: what the difference is at any gains follows from them. */
  energies: z.object({ here: z.number(), yonder: z.number(), product: z.number() }),
  /** The frames that were judged: what of the region both cover. */
  judged: z.object({ startFrame: z.number(), endFrame: z.number() }),
  identical: z.enum(["bit", "24-bit", "16-bit", "no"]),
});
export type PairFigures = z.infer<typeof pairFiguresSchema>;

export const PAIR_VERSION = 2;

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
  const energies = pairEnergies(a, b);
  const nullGain = energies.yonder > 0 ? Math.max(0, energies.product / energies.yonder) : 0;
  return {
    energies,
    judged: region,
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
  renders: readonly { placement: Placement; frames: number; edgeFrames: number }[],
  region: { startFrame: number; endFrame: number },
): { startFrame: number; endFrame: number } {
  let { startFrame, endFrame } = region;
  for (const { placement, frames, edgeFrames } of renders) {
    const shared = sharedFrames(passageFrames, frames, placement, edgeFrames);
    startFrame = Math.max(startFrame, shared.startFrame);
    endFrame = Math.min(endFrame, shared.endFrame);
  }
  return { startFrame, endFrame: Math.max(startFrame, endFrame) };
}
