import { z } from "zod";
import { type alignmentSchema, placementSchema } from "@/core/alignment/alignment";
import type { Onset } from "@/core/alignment/onset";
import { overviewSchema } from "@/core/audio/overview";
import type { Residuals } from "@/core/difference/fit";
import type { pairFiguresSchema } from "@/core/difference/pair";
import { fileFormSchema } from "@/core/formats/file-form";
import type { LoudnessCourse } from "@/core/loudness/loudness";
import { type Levels, levelsSchema, type StretchLevels } from "@/core/loudness/measure";
import type { Outcome } from "@/core/outcome";
import { chainSchema } from "@/core/processors/chain";
import { type Signature, signatureSchema } from "@/core/sorting/signature";
import type { Sorting } from "@/core/sorting/sort-files";

/** One kept audio file: its content hash and its bytes. Workers keep what they decoded under the hash. */
export const audioRefSchema = z.object({ hash: z.string(), bytes: z.instanceof(Blob) });
export type AudioRef = z.infer<typeof audioRefSchema>;

const frameRange = z.object({ startFrame: z.number().int().min(0), endFrame: z.number().int().min(0) });

/** A render, and what brings it in step with the dry one. */
const placedSchema = z.object({
  audio: audioRefSchema,
  placement: placementSchema,
  /** The render with that done, where it was worth keeping (rate, fraction or drift); its frames are those of the dry one. */
  corrected: audioRefSchema.nullable(),
  /** Rate and length of the dry render. */
  sampleRateHz: z.number().int(),
  frames: z.number().int().positive(),
  /** The render's own length at that rate. */
  ownFrames: z.number().int().positive(),
  /** Frames at its ends that a rate conversion cannot know. */
  edgeFrames: z.number().int().min(0),
});
export type Placed = z.infer<typeof placedSchema>;

/** Everything a worker can be asked, parsed where it arrives. */
export const requestSchema = z.discriminatedUnion("task", [
  z.object({ task: z.literal("read"), name: z.string(), file: z.instanceof(Blob) }),
  z.object({ task: z.literal("measure"), audio: audioRefSchema }),
  z.object({ task: z.literal("signature"), audio: audioRefSchema }),
  z.object({
    task: z.literal("sort"),
    files: z.array(z.object({ id: z.string(), name: z.string(), signature: signatureSchema })),
    passages: z.array(z.object({ id: z.string(), title: z.string(), signature: signatureSchema })),
  }),
  z.object({ task: z.literal("align"), reference: audioRefSchema, render: audioRefSchema }),
  z.object({ task: z.literal("correct"), render: placedSchema }),
  z.object({ task: z.literal("onsets"), audio: audioRefSchema, wanted: z.number().int().positive() }),
  z.object({
    task: z.literal("around"),
    render: placedSchema,
    frame: z.number().int(),
    reach: z.number().int().positive(),
  }),
  z.object({ task: z.literal("residuals"), dry: audioRefSchema, render: placedSchema }),
  z.object({ task: z.literal("fit"), dry: audioRefSchema, render: placedSchema, region: frameRange }),
  z.object({ task: z.literal("course"), render: placedSchema, gainDb: z.number() }),
  z.object({ task: z.literal("place"), render: placedSchema }),
  z.object({
    task: z.literal("pair"),
    here: placedSchema,
    yonder: placedSchema,
    region: frameRange,
    gainsDb: z.object({ here: z.number(), yonder: z.number() }),
  }),
  z.object({ task: z.literal("levels"), render: placedSchema, region: frameRange, gainDb: z.number() }),
  z.object({
    task: z.literal("process"),
    source: audioRefSchema,
    chain: chainSchema,
    keepLatency: z.boolean(),
    /** Another render, brought in step, that keyed processors listen to. */
    key: placedSchema.nullable(),
  }),
  z.object({ task: z.literal("write"), audio: audioRefSchema, form: fileFormSchema }),
  z.object({ task: z.literal("ferry"), passageKey: z.string(), candidateKey: z.string().nullable() }),
]);
export type Request = z.infer<typeof requestSchema>;

/** What reading a file tells, before anything is measured. */
const readSchema = z.object({
  hash: z.string(),
  sampleRateHz: z.number().int(),
  channelCount: z.number().int(),
  frames: z.number().int(),
  encoding: z.string(),
  remarks: z.array(z.string()),
  overview: overviewSchema,
});

export const inspectedSchema = readSchema.extend({ levels: levelsSchema });
export type Inspected = z.infer<typeof inspectedSchema>;
export type ReadFile = z.infer<typeof readSchema> & { signature: Signature };

/** A render made here: its file and what is known of it. */
export type MadeRender = { file: Blob; inspected: Inspected };

/** Samples around a frame of the dry render, one array a channel, 2 · reach + 1 frames: as delivered, and in step. */
export type Around = { before: Float32Array<ArrayBuffer>[]; after: Float32Array<ArrayBuffer>[] };

/** What each task answers with. */
export type Answers = {
  read: Outcome<ReadFile>;
  measure: Levels;
  signature: Signature;
  sort: Sorting;
  align: z.infer<typeof alignmentSchema>;
  place: { channels: Float32Array<ArrayBuffer>[]; overview: z.infer<typeof overviewSchema> };
  pair: z.infer<typeof pairFiguresSchema>;
  levels: StretchLevels;
  /** The render in step, as a file of 32-bit floats. */
  correct: Blob;
  onsets: Onset[];
  around: Around;
  residuals: Residuals;
  /** The gain in dB that lays it on the dry render best. */
  fit: number | null;
  course: LoudnessCourse;
  process: MadeRender;
  write: Blob;
  ferry: MadeRender;
};

/** Share done, 0 to 1, and what is being done, for people. */
export type Progress = { share: number; doing: string };

/** Columns of the waveform kept with each render: enough for a full-width transport. */
export const OVERVIEW_COLUMNS = 1200;
