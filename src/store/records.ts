import { z } from "zod";
import { placementSchema } from "@/core/alignment/alignment";
import { abxPlanSchema, abxResultSchema, abxSideSchema } from "@/core/blind/abx";
import { CANDIDATE_KINDS, settingLineSchema } from "@/core/candidates/candidate";
import { fileReadingSchema } from "@/core/formats/file-reading";
import { levelsSchema } from "@/core/loudness/measure";
import { MATCH_METHODS, matchSettingsSchema } from "@/core/matching/match-passage";
import { chainSchema } from "@/core/processors/chain";

const id = z.string().min(1);
const isoTime = z.iso.datetime();

/** Whole frames of the passage, at its dry render's rate; the end is not included. */
export const regionSchema = z.object({ startFrame: z.number().int().min(0), endFrame: z.number().int().min(1) });
export type Region = z.infer<typeof regionSchema>;

export const comparisonSchema = z.object({
  id,
  title: z.string().min(1),
  /** The demo is found again by this and made afresh when its recipe changes. */
  demoVersion: z.number().int().nullable(),
  createdAt: isoTime,
  updatedAt: isoTime,
  passageId: id.nullable(),
});
export type Comparison = z.infer<typeof comparisonSchema>;

export const passageSchema = z.object({
  id,
  comparisonId: id,
  title: z.string().min(1),
  position: z.number().int(),
  dryRenderId: id,
  hereRenderId: id,
  yonderRenderId: id,
  loop: regionSchema.nullable(),
  /** How its renders are brought to one level. */
  match: matchSettingsSchema,
});
export type Passage = z.infer<typeof passageSchema>;

export const candidateSchema = z.object({
  id,
  comparisonId: id,
  title: z.string().min(1),
  kind: z.enum(CANDIDATE_KINDS),
  version: z.string(),
  /** One line under the title; where it is empty the settings are summed up there. */
  summary: z.string(),
  notes: z.string(),
  /** What its panel says; nothing here is measured. */
  settings: z.array(settingLineSchema),
  /** The built-in processors it was made with, so that it can be run again; null for what came from outside. */
  chain: chainSchema.nullable(),
  hidden: z.boolean(),
  position: z.number().int(),
});
export type Candidate = z.infer<typeof candidateSchema>;

/** What a person set for a render, against one dry render. */
export const handSchema = z.object({
  dryAudioHash: z.string(),
  placement: placementSchema,
  /** Held against keys and buttons until it is let go. */
  locked: z.boolean(),
});
export type Hand = z.infer<typeof handSchema>;

export const renderSchema = fileReadingSchema.omit({ hash: true }).extend({
  id,
  comparisonId: id,
  passageId: id,
  candidateId: id,
  audioHash: z.string(),
  fileName: z.string(),
  hand: handSchema.nullable(),
  /** Levels of the file as it came; no figures before it is measured. */
  levels: levelsSchema,
  /** The version that `levels` were measured by; none before they are, and in records of the earliest. */
  levelsVersion: z.number().int().optional(),
});
export type Render = z.infer<typeof renderSchema>;

/** An imported file, bit for bit, once for each content. */
export const audioSchema = z.object({ hash: z.string(), bytes: z.instanceof(Blob) });
export type Audio = z.infer<typeof audioSchema>;

export const trialSchema = z.object({ answer: abxSideSchema, answeredAt: isoTime, listeningSeconds: z.number() });
export type Trial = z.infer<typeof trialSchema>;

/** Samples worked out of imports, as a file: unfolded, at another rate, read between. Kept so that it is done once. */
export const copySchema = z.object({
  key: z.string(),
  bytes: z.instanceof(Blob),
  byteCount: z.number().int(),
  usedAt: z.number(),
});
export type Copy = z.infer<typeof copySchema>;

/** How the two sides of a run were brought to one level, as it was when the run was planned. */
export const runMatchSchema = z.object({
  over: z.enum(["passage", "loop"]),
  method: z.enum(MATCH_METHODS),
  hereGainDb: z.number(),
  yonderGainDb: z.number(),
  edgeLu: z.number().nullable(),
  /** Yonder minus Here over the run's own region, measured after matching. */
  remainingLu: z.number().nullable(),
  overruled: z.boolean(),
});
export type RunMatch = z.infer<typeof runMatchSchema>;

const runSideSchema = z.object({
  renderId: id,
  title: z.string(),
  audioHash: z.string(),
  fileName: z.string(),
  /** What brought it in step when the run was planned; absent in runs of earlier versions. */
  placement: placementSchema.optional(),
});

export const runSchema = z.object({
  id,
  comparisonId: id,
  passageId: id,
  passageTitle: z.string(),
  /** What both sides were put in step with; the region counts its frames, whatever is called dry later on. */
  dryRenderId: id,
  here: runSideSchema,
  yonder: runSideSchema,
  region: regionSchema,
  sampleRateHz: z.number().int(),
  plan: abxPlanSchema,
  match: runMatchSchema,
  /** SHA-256 of the hidden order and its salt, fixed before the first trial. */
  sealDigest: z.string(),
  createdAt: isoTime,
  finishedAt: isoTime.nullable(),
  trials: z.array(trialSchema),
  result: abxResultSchema.nullable(),
  /** The order and salt, in the open once the run has ended. */
  opened: z.object({ order: z.array(abxSideSchema), saltHex: z.string() }).nullable(),
});
export type Run = z.infer<typeof runSchema>;

/** Kept apart from the run, so that no list or export of runs ever carries an order that is still hidden. */
export const sealSchema = z.object({ runId: id, saltHex: z.string(), order: z.array(abxSideSchema) });
export type Seal = z.infer<typeof sealSchema>;

export const noteSchema = z.object({
  id,
  comparisonId: id,
  /** The run the note belongs to; null for the comparison as a whole. */
  runId: id.nullable(),
  text: z.string(),
  updatedAt: isoTime,
});
export type Note = z.infer<typeof noteSchema>;

export const settingSchema = z.object({ key: z.string(), value: z.unknown() });
export type Setting = z.infer<typeof settingSchema>;

export const analysisSchema = z.object({
  key: z.string(),
  value: z.unknown(),
  /** About how much room it takes, and when it was last used; absent in those kept by earlier versions. */
  byteCount: z.number().optional(),
  usedAt: z.number().optional(),
});
export type Analysis = z.infer<typeof analysisSchema>;
