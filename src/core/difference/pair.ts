import { z } from "zod";
import { sharedFrames } from "../alignment/aligned";
import type { Placement } from "../alignment/alignment";
import type { Clip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import { type FrameRange, type Sound, stretch } from "../audio/sound";
import { integratedLoudness, LoudnessMeter } from "../loudness/loudness";
import { rmsDbfs } from "../loudness/measure";
import { identityWithin, pairMoments, residualAt, residualOverDb } from "./residual";

const figure = z.number().nullable();

/** A level to match by: loudness where there is one, RMS always but in silence. */
const pairLevelSchema = z.object({ integratedLufs: figure, rmsDbfs: figure });
export type PairLevel = z.infer<typeof pairLevelSchema>;

/** The same, with the power of each gated window, from which it follows at any gain. */
const measuredLevelSchema = pairLevelSchema.extend({ windowPowers: z.instanceof(Float64Array) });
export type MeasuredLevel = z.infer<typeof measuredLevelSchema>;

/** What sets two renders aligned apart, over one region. All differences are Yonder minus Here. */
export const pairFiguresSchema = z.object({
  here: measuredLevelSchema,
  yonder: measuredLevelSchema,
  /** Residuals over Here's RMS; null is digital silence or no figure. */
  inStepDb: figure,
  /** At the gain, never negative, that leaves least: a level does not hide what timing does, and a invert stays one. */
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

export const PAIR_VERSION = 3;

/** A level as it is with a gain, the gates laid anew. */
export function atMatchGain({ windowPowers, rmsDbfs }: MeasuredLevel, gainDb: number): PairLevel {
  const power = amplitudeFromDb(gainDb) ** 2;
  return {
    integratedLufs: integratedLoudness(windowPowers.map((p) => p * power)),
    rmsDbfs: rmsDbfs === null ? null : rmsDbfs + gainDb,
  };
}

/** Measures two renders of one passage, both already aligned and of the passage's length, over frames [startFrame, endFrame). */
export function measurePair(here: Sound | Clip, yonder: Sound | Clip, region: FrameRange): PairFigures {
  const a = stretch(here, region);
  const b = stretch(yonder, region);
  const meters = [new LoudnessMeter(a), new LoudnessMeter(b)];
  const moments = pairMoments(a, b, (...sides) => {
    for (const [i, channels] of sides.entries()) meters[i].add(channels);
  });
  const energies = { here: moments.here, yonder: moments.yonder, product: moments.product };
  const nullGain = energies.yonder > 0 ? Math.max(0, energies.product / energies.yonder) : 0;
  const count = Math.max(a.channelCount, b.channelCount);
  const levelOf = (sound: Sound, meter: LoudnessMeter, energy: number): MeasuredLevel => ({
    integratedLufs: integratedLoudness(meter.windowPowers()),
    windowPowers: meter.windowPowers(),
    // A mono side was counted for both.
    rmsDbfs: rmsDbfs(energy, sound.frames * count),
  });
  return {
    energies,
    judged: region,
    here: levelOf(a, meters[0], energies.here),
    yonder: levelOf(b, meters[1], energies.yonder),
    inStepDb: residualOverDb(moments.difference, energies.here),
    nullDb: residualOverDb(residualAt(a, b, moments, nullGain), energies.here),
    nullGainDb: nullGain > 0 ? 20 * log10(nullGain) : null,
    identical: identityWithin(moments.largestDifference),
  };
}

/** Frames of the passage that both aligned renders cover, cut to `region`: what a null can be judged on. */
export function judgedRegion(
  passageFrames: number,
  renders: readonly { placement: Placement; frames: number; edgeFrames: number }[],
  region: FrameRange,
): FrameRange {
  let { startFrame, endFrame } = region;
  for (const { placement, frames, edgeFrames } of renders) {
    const shared = sharedFrames(passageFrames, frames, placement, edgeFrames);
    startFrame = Math.max(startFrame, shared.startFrame);
    endFrame = Math.min(endFrame, shared.endFrame);
  }
  return { startFrame, endFrame: Math.max(startFrame, endFrame) };
}
