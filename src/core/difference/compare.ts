import { z } from "zod";
import { align } from "../alignment/align";
import type { Alignment } from "../alignment/alignment";
import { putInStep, sharedFrames } from "../alignment/in-step";
import { type Clip, frameCount, scaleClip, sliceClip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { resample } from "../audio/resample";
import { measureLoudness } from "../loudness/loudness";
import { type Levels, measureLevels } from "../loudness/measure";
import { commonTrimDb, matchToReference } from "../matching/match";
import { identityOf, leastSquaresGain, residualDb } from "./residual";

const loudnessSchema = z.object({
  integratedLufs: z.number().nullable(),
  rangeLu: z.number().nullable(),
  maxMomentaryLufs: z.number().nullable(),
  maxShortTermLufs: z.number().nullable(),
  truePeakDbtp: z.number().nullable(),
  samplePeakDbfs: z.number().nullable(),
});

const measuredFileSchema = z.object({
  file: z.string(),
  sampleRate: z.number().int(),
  channels: z.number().int(),
  frames: z.number().int(),
  loudness: loudnessSchema,
});
export type MeasuredFile = z.infer<typeof measuredFileSchema>;

const comparedFileSchema = measuredFileSchema.extend({
  alignment: z.object({
    found: z.boolean(),
    /** To a ten-thousandth of a sample; whole where nothing speaks for a fraction. */
    delaySamples: z.number().nullable(),
    /** Of the left (or only) channel. */
    polarity: z.union([z.literal(1), z.literal(-1)]).nullable(),
    polarityRight: z.union([z.literal(1), z.literal(-1)]).nullable(),
    swapped: z.boolean(),
    driftPpm: z.number().nullable(),
    confidence: z.number(),
    /** Why the confidence is low. */
    doubt: z.string().optional(),
    reason: z.string().optional(),
  }),
  match: z.object({
    method: z.enum(["integrated", "rms"]).nullable(),
    gainDb: z.number().nullable(),
    edgeLu: z.number().nullable(),
    remainingLu: z.number().nullable(),
  }),
  difference: z.object({
    deliveredDb: z.number().nullable(),
    alignedDb: z.number().nullable(),
    matchedDb: z.number().nullable(),
    identical: z.enum(["bit", "24-bit", "16-bit", "no"]),
  }),
});

/** What the terminal prints for one or more files alone. */
export const measureReportSchema = z.object({
  schema: z.literal("yonder-pair/measure@1"),
  files: z.array(measuredFileSchema),
});
export type MeasureReport = z.infer<typeof measureReportSchema>;

/** What the terminal prints for a reference and the renders compared with it. */
export const compareReportSchema = z.object({
  schema: z.literal("yonder-pair/compare@1"),
  reference: measuredFileSchema,
  renders: z.array(comparedFileSchema),
  /** Played together at one level, all of them (the reference too) come down by this much to keep under the ceiling. */
  commonTrimDb: z.number(),
});
export type CompareReport = z.infer<typeof compareReportSchema>;

type NamedClip = { file: string; clip: Clip };

/** Level figures of one file, rounded for people: a thousandth of a dB. */
export function measureFile({ file, clip }: NamedClip, levels: Levels = measureLevels(clip)): MeasuredFile {
  return {
    file,
    sampleRate: clip.sampleRateHz,
    channels: clip.channels.length,
    frames: frameCount(clip),
    loudness: {
      integratedLufs: rounded(levels.integratedLufs),
      rangeLu: rounded(levels.rangeLu),
      maxMomentaryLufs: rounded(levels.maxMomentaryLufs),
      maxShortTermLufs: rounded(levels.maxShortTermLufs),
      truePeakDbtp: rounded(levels.truePeakDbtp),
      samplePeakDbfs: rounded(levels.samplePeakDbfs),
    },
  };
}

/**
 * Compares renders with a reference: levels, delay and polarity, level match, residual at each step. Renders at another
 * rate are converted to the reference's for everything but their own level figures.
 */
export function compareFiles(reference: NamedClip, renders: readonly NamedClip[]): CompareReport {
  const referenceLevels = measureLevels(reference.clip);
  const rows = renders.map((render) => compareOne(reference.clip, referenceLevels, render));
  const trim = commonTrimDb([
    { truePeakDbtp: referenceLevels.truePeakDbtp, gainDb: 0 },
    ...rows.map((row) => ({ truePeakDbtp: row.loudness.truePeakDbtp, gainDb: row.match.gainDb ?? 0 })),
  ]);
  return {
    schema: "yonder-pair/compare@1",
    reference: measureFile(reference, referenceLevels),
    renders: rows,
    commonTrimDb: rounded(trim) ?? 0,
  };
}

function compareOne(reference: Clip, referenceLevels: Levels, render: NamedClip): z.infer<typeof comparedFileSchema> {
  const levels = measureLevels(render.clip);
  const clip = resample(render.clip, reference.sampleRateHz);
  const alignment = align(reference, clip);
  const match = matchToReference(referenceLevels, levels);
  const difference = differenceOf(reference, clip, alignment);
  return {
    ...measureFile(render, levels),
    alignment: alignmentRow(alignment),
    match: {
      method: match?.method ?? null,
      gainDb: rounded(match?.gainDb ?? null),
      edgeLu: rounded(match?.edgeLu ?? null),
      remainingLu: match?.method === "integrated" ? remainingLu(referenceLevels, render.clip, match.gainDb) : null,
    },
    difference,
  };
}

function alignmentRow(alignment: Alignment): z.infer<typeof comparedFileSchema>["alignment"] {
  const confidence = rounded(alignment.confidence) ?? 0;
  if (!alignment.found) {
    const unknown = { delaySamples: null, polarity: null, polarityRight: null, swapped: false, driftPpm: null };
    return { found: false, ...unknown, confidence, reason: alignment.reason };
  }
  const { delaySamples, polarity, swapped, driftPpm, doubt } = alignment;
  return {
    found: true,
    delaySamples: Math.round(delaySamples * 1e4) / 1e4 + 0,
    polarity: polarity.left,
    polarityRight: polarity.right,
    swapped,
    driftPpm: rounded(driftPpm),
    confidence,
    ...(doubt ? { doubt } : {}),
  };
}

/** Measured again with the gain applied, not inferred: gates may fall differently. */
function remainingLu(referenceLevels: Levels, render: Clip, gainDb: number): number | null {
  const after = measureLoudness(scaleClip(render, amplitudeFromDb(gainDb))).integratedLufs;
  if (after === null || referenceLevels.integratedLufs === null) return null;
  return rounded(after - referenceLevels.integratedLufs);
}

function differenceOf(reference: Clip, render: Clip, alignment: Alignment) {
  const deliveredDb = rounded(residualDb(reference, render, 1));
  if (!alignment.found) {
    return { deliveredDb, alignedDb: null, matchedDb: null, identical: identityOf(reference, render) };
  }
  const { a, b } = overlapInStep(reference, render, alignment);
  return {
    deliveredDb,
    alignedDb: rounded(residualDb(a, b, 1)),
    matchedDb: rounded(residualDb(a, b, leastSquaresGain(a, b))),
    identical: identityOf(a, b),
  };
}

/** Reference and aligned render, both on the frames they share. */
function overlapInStep(reference: Clip, render: Clip, alignment: Alignment & { found: true }): { a: Clip; b: Clip } {
  const frames = frameCount(reference);
  const { startFrame, endFrame } = sharedFrames(frames, frameCount(render), alignment);
  return {
    a: sliceClip(reference, startFrame, endFrame),
    b: sliceClip(putInStep(render, alignment, frames), startFrame, endFrame),
  };
}

/** To a thousandth, never −0; null stays null. */
function rounded(value: number | null): number | null {
  return value === null || !Number.isFinite(value) ? null : Math.round(value * 1000) / 1000 + 0;
}
