import { z } from "zod";
import { alignmentSchema } from "@/core/alignment/alignment";
import { overviewSchema } from "@/core/audio/overview";
import type { pairFiguresSchema } from "@/core/difference/pair";
import { levelsSchema } from "@/core/loudness/measure";

/** One kept audio file: its content hash and its bytes. Workers keep what they decoded under the hash. */
export const audioRefSchema = z.object({ hash: z.string(), bytes: z.instanceof(Blob) });
export type AudioRef = z.infer<typeof audioRefSchema>;

const frameRange = z.object({ startFrame: z.number().int().min(0), endFrame: z.number().int().min(0) });

/** A render, and how it lies against the dry one it is brought to. */
const placedSchema = z.object({
  audio: audioRefSchema,
  alignment: alignmentSchema,
  /** Rate and length of the dry render. */
  sampleRateHz: z.number().int(),
  frames: z.number().int().positive(),
});
export type Placed = z.infer<typeof placedSchema>;

/** Everything a worker can be asked, parsed where it arrives. */
export const requestSchema = z.discriminatedUnion("task", [
  z.object({ task: z.literal("inspect"), name: z.string(), file: z.instanceof(Blob) }),
  z.object({ task: z.literal("align"), reference: audioRefSchema, render: audioRefSchema }),
  z.object({ task: z.literal("place"), render: placedSchema }),
  z.object({
    task: z.literal("pair"),
    here: placedSchema,
    yonder: placedSchema,
    region: frameRange,
    gainsDb: z.object({ here: z.number(), yonder: z.number() }),
  }),
  z.object({ task: z.literal("levels"), render: placedSchema, region: frameRange }),
  z.object({ task: z.literal("ferry"), passageKey: z.string() }),
]);
export type Request = z.infer<typeof requestSchema>;

export const inspectedSchema = z.object({
  hash: z.string(),
  sampleRateHz: z.number().int(),
  channelCount: z.number().int(),
  frames: z.number().int(),
  encoding: z.string(),
  remarks: z.array(z.string()),
  levels: levelsSchema,
  overview: overviewSchema,
});
export type Inspected = z.infer<typeof inspectedSchema>;

/** What each task answers with. */
export type Answers = {
  inspect: { ok: true; value: Inspected } | { ok: false; reason: string; advice: string };
  align: z.infer<typeof alignmentSchema>;
  place: { channels: Float32Array<ArrayBuffer>[]; overview: z.infer<typeof overviewSchema> };
  pair: z.infer<typeof pairFiguresSchema>;
  levels: z.infer<typeof levelsSchema>;
  /** Renders arrive through `onPart`, dry first; the answer itself is their number. */
  ferry: number;
};

/** One demo render as it comes from the worker, already inspected. */
export type FerryPart = { candidateKey: string | null; file: Blob; inspected: Inspected };

/** Share done, 0 to 1, and what is being done, for people. */
export type Progress = { share: number; doing: string };

/** Columns of the waveform kept with each render: enough for a full-width transport. */
export const OVERVIEW_COLUMNS = 1200;
