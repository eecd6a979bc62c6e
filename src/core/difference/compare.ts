import { z } from "zod";
import { align } from "../alignment/align";
import { alignedSound, isWhole, sharedFrames } from "../alignment/aligned";
import type { Alignment, FoundAlignment } from "../alignment/alignment";
import type { Clip } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { atRate, unknownEdgeFrames } from "../audio/resample";
import { atGain, clipOf, type Sound, soundOf, stretch } from "../audio/sound";
import { measureLoudness } from "../loudness/loudness";
import { type Levels, measureLevels } from "../loudness/measure";
import { commonTrimDb, matchToReference } from "../matching/match";
import { doubtsWords, notAlignedWords } from "../words/alignment";
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
  /** What should be known of the file although it could be read. */
  remarks: z.array(z.string()).optional(),
  loudness: loudnessSchema,
});
export type MeasuredFile = z.infer<typeof measuredFileSchema>;

const comparedFileSchema = measuredFileSchema.extend({
  alignment: z.object({
    found: z.boolean(),
    /** To a ten-thousandth of a sample; whole where nothing speaks for a fraction. */
    delaySamples: z.number().nullable(),
    /** The delay lies within this of the one reported. */
    delayErrorSamples: z.number().nullable(),
    /** Of the left (or only) channel. */
    polarity: z.union([z.literal(1), z.literal(-1)]).nullable(),
    polarityRight: z.union([z.literal(1), z.literal(-1)]).nullable(),
    swapped: z.boolean(),
    driftPpm: z.number().nullable(),
    /** The drift lies within this of the one reported. */
    driftErrorPpm: z.number().nullable(),
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
    /** The part of the reference that match and difference were judged on: what both cover. */
    judgedShare: z.number(),
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

/** What takes work to read is kept where it is read again and again: in memory, or wherever there is room. */
export type Keep = (sound: Sound) => Sound;
const keptInMemory: Keep = (sound) => soundOf(clipOf(sound));

type NamedSound = { file: string; sound: Sound | Clip; remarks?: string[] };

/** Level figures of one file, rounded for people: a thousandth of a dB. */
export function measureFile({ file, sound, remarks }: NamedSound, levels: Levels = measureLevels(sound)): MeasuredFile {
  const { sampleRateHz, channelCount, frames } = soundOf(sound);
  return {
    file,
    sampleRate: sampleRateHz,
    channels: channelCount,
    frames,
    ...(remarks?.length ? { remarks } : {}),
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
export function compareFiles(
  reference: NamedSound,
  renders: readonly NamedSound[],
  keep: Keep = keptInMemory,
): CompareReport {
  const referenceLevels = measureLevels(reference.sound);
  const rows = renders.map((render) => compareOne(soundOf(reference.sound), referenceLevels, render, keep));
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

function compareOne(
  reference: Sound,
  referenceLevels: Levels,
  render: NamedSound,
  keep: Keep,
): z.infer<typeof comparedFileSchema> {
  const levels = measureLevels(render.sound);
  const delivered = soundOf(render.sound);
  const isConverted = delivered.sampleRateHz !== reference.sampleRateHz;
  const converted = isConverted ? keep(atRate(delivered, reference.sampleRateHz)) : delivered;
  const alignment = align(reference, converted);
  const judged = alignment.found
    ? overlapAligned(
        reference,
        converted,
        alignment,
        unknownEdgeFrames(delivered.sampleRateHz, reference.sampleRateHz),
        keep,
      )
    : null;
  // What a render lacks, or has before and after, is not part of its level.
  const isWhole = judged !== null && judged.a.frames === reference.frames;
  const there = judged && !isWhole ? measureLevels(judged.a) : referenceLevels;
  const own = judged ? measureLevels(judged.b) : levels;
  const match = matchToReference(there, own);
  const difference = differenceOf(reference, converted, judged);
  return {
    ...measureFile(render, levels),
    alignment: alignmentRow(alignment),
    match: {
      method: match?.method ?? null,
      gainDb: rounded(match?.gainDb ?? null),
      edgeLu: rounded(match?.edgeLu ?? null),
      remainingLu: match?.method === "integrated" ? remainingLu(there, judged?.b ?? converted, match.gainDb) : null,
    },
    difference,
  };
}

function alignmentRow(alignment: Alignment): z.infer<typeof comparedFileSchema>["alignment"] {
  const confidence = rounded(alignment.confidence) ?? 0;
  if (!alignment.found) {
    const unknown = {
      delaySamples: null,
      delayErrorSamples: null,
      polarity: null,
      polarityRight: null,
      swapped: false,
      driftPpm: null,
      driftErrorPpm: null,
    };
    return { found: false, ...unknown, confidence, reason: notAlignedWords(alignment.reason) };
  }
  const { delaySamples, delayErrorSamples, polarity, swapped, driftPpm, driftErrorPpm, doubts } = alignment;
  return {
    found: true,
    delaySamples: Math.round(delaySamples * 1e4) / 1e4 + 0,
    delayErrorSamples: Math.ceil(delayErrorSamples * 1e4) / 1e4,
    polarity: polarity.left,
    polarityRight: polarity.right,
    swapped,
    driftPpm: rounded(driftPpm),
    driftErrorPpm: driftErrorPpm === null ? null : Math.ceil(driftErrorPpm * 1e3) / 1e3,
    confidence,
    ...(doubts.length > 0 ? { doubt: doubtsWords(doubts) } : {}),
  };
}

/** Measured again with the gain applied, not inferred: gates may fall differently. */
function remainingLu(referenceLevels: Levels, render: Sound, gainDb: number): number | null {
  const after = measureLoudness(atGain(render, amplitudeFromDb(gainDb))).integratedLufs;
  if (after === null || referenceLevels.integratedLufs === null) return null;
  return rounded(after - referenceLevels.integratedLufs);
}

type Judged = { a: Sound; b: Sound };

function differenceOf(reference: Sound, render: Sound, judged: Judged | null) {
  const deliveredDb = rounded(residualDb(reference, render, 1));
  if (!judged) {
    const identical = identityOf(reference, render);
    return { deliveredDb, alignedDb: null, matchedDb: null, identical, judgedShare: 0 };
  }
  const { a, b } = judged;
  return {
    deliveredDb,
    alignedDb: rounded(residualDb(a, b, 1)),
    matchedDb: rounded(residualDb(a, b, Math.max(0, leastSquaresGain(a, b)))),
    identical: identityOf(a, b),
    judgedShare: rounded(a.frames / reference.frames) ?? 0,
  };
}

/** Reference and aligned render, both on the frames they share. */
function overlapAligned(
  reference: Sound,
  render: Sound,
  alignment: FoundAlignment,
  edgeFrames: number,
  keep: Keep,
): Judged {
  const shared = sharedFrames(reference.frames, render.frames, alignment, edgeFrames);
  const laid = alignedSound(render, alignment, reference.frames);
  return { a: stretch(reference, shared), b: stretch(isWhole(alignment) ? laid : keep(laid), shared) };
}

/** To a thousandth, never −0; null stays null. */
function rounded(value: number | null): number | null {
  return value === null || !Number.isFinite(value) ? null : Math.round(value * 1000) / 1000 + 0;
}
