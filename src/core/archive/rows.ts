import { z } from "zod";
import { placementSchema } from "../alignment/alignment";
import { regionSchema } from "../audio/region";
import { benchReportSchema } from "../bench/report";
import { orderSchema } from "../blind/order";
import { manifestSchema, packKeySchema } from "../blind/pack";
import { CANDIDATE_KINDS, settingLineSchema } from "../candidates/candidate";
import { fileReadingSchema } from "../formats/file-reading";
import { levelsSchema } from "../loudness/measure";
import { matchSettingsSchema } from "../matching/match-passage";
import { chainSchema } from "../processors/chain";

// What a comparison is made of, row by row, as it is kept and as it goes out in an archive. Raise ARCHIVE_VERSION (and the database's) when one changes.

const id = z.string().min(1);
const isoTime = z.iso.datetime();

export const comparisonSchema = z.object({
  id,
  title: z.string().min(1),
  /** The demo is found again by this and made afresh when its recipe changes. */
  demoVersion: z.number().int().nullable(),
  createdAt: isoTime,
  updatedAt: isoTime,
  passageId: id.nullable(),
  /** Whether candidates of our own run over each new passage by themselves. */
  runsChains: z.boolean(),
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
  /** The place a switch may go back to; the loop's start, or the beginning, where none was set. */
  markFrame: z.number().int().min(0).nullable().optional(),
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
  /** what its controls say; nothing here is measured. */
  settings: z.array(settingLineSchema),
  /** The built-in processors it was made with, so that it can be run again; null for what came from outside. */
  chain: chainSchema.nullable(),
  hidden: z.boolean(),
  position: z.number().int(),
  /** The candidate it is a later version of; null for the first, or where there are no versions. */
  versionOf: id.nullable(),
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

/** Kept apart from the run, so that no list or export of runs ever carries an order that is still hidden. */
export const sealSchema = z.object({ runId: id, saltHex: z.string(), order: orderSchema });
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

/** What was heard at one moment of a passage in one render: words, and what else there is to say. */
export const momentSchema = z.object({
  id,
  comparisonId: id,
  passageId: id,
  /** Null where it was the difference that was heard. */
  renderId: id.nullable(),
  frame: z.number().int().min(0),
  words: z.array(z.string()),
  text: z.string(),
  createdAt: isoTime,
});
export type Moment = z.infer<typeof momentSchema>;

/** What someone who knew what they heard preferred, and what they had heard of each before they said so. */
export const sightedVerdictSchema = z.object({
  id,
  comparisonId: id,
  passageId: id,
  /** Null for no preference. */
  renderId: id.nullable(),
  /** 0 to 100. */
  sure: z.number().min(0).max(100),
  why: z.string(),
  heard: z.array(z.object({ renderId: id, seconds: z.number(), matched: z.boolean() })),
  createdAt: isoTime,
});
export type SightedVerdict = z.infer<typeof sightedVerdictSchema>;

/** What someone decides of a candidate, from best to worst. */
export const VERDICTS = ["first choice", "would do", "not this"] as const;
export type Verdict = (typeof VERDICTS)[number];

/** What a person wrote down of a candidate on one passage, or on the whole: it is theirs alone, and nothing is filled in for them. */
export const findingSchema = z.object({
  id,
  comparisonId: id,
  /** Null for the candidate on the whole. */
  passageId: id.nullable(),
  candidateId: id,
  verdict: z.enum(VERDICTS).nullable(),
  good: z.string(),
  bad: z.string(),
  /** Of the candidate on the whole alone. */
  price: z.string(),
  effort: z.string(),
  updatedAt: isoTime,
});
export type Finding = z.infer<typeof findingSchema>;

/** What a test signal reported of something outside that it was sent through. */
export const measurementSchema = z.object({
  id,
  comparisonId: id,
  /** What was measured, where it is in the grid. */
  candidateId: id.nullable(),
  title: z.string().min(1),
  fileName: z.string(),
  report: benchReportSchema,
  /** Whether it is the loop-back whose latency, response and noise are taken off the others. */
  isReference: z.boolean(),
  createdAt: isoTime,
});
export type Measurement = z.infer<typeof measurementSchema>;

/** A listening pack that was sent out from here, with what its names stand for. */
export const packSchema = z.object({
  id,
  comparisonId: id,
  passageId: id,
  passageTitle: z.string(),
  dryRenderId: id,
  manifest: manifestSchema,
  key: packKeySchema,
});
export type Pack = z.infer<typeof packSchema>;
