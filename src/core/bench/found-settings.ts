import { z } from "zod";
import { chainSchema } from "../processors/chain";
import { type BenchReport, benchReportSchema } from "./report";

/** Equalizers that are made of bands, and how each realises them. */
export const OF_BANDS: Record<string, "analogue" | "bilinear"> = {
  "bilinear-equalizer": "bilinear",
  "matched-equalizer": "analogue",
  "linear-phase-equalizer": "analogue",
};
/** Those that have a handful of numbers instead. */
export const OF_NUMBERS: readonly string[] = ["passive-low-pair", "parallel-high-shelf"];
/** Processors whose settings can be looked for by a curve. */
export const FINDABLE: readonly string[] = [...Object.keys(OF_BANDS), ...OF_NUMBERS];

export const foundSettingsSchema = z.object({
  chain: chainSchema,
  hertz: z.array(z.number()),
  /** The curve of the settings found, as the processor itself makes it. */
  curveDb: z.array(z.number()),
  /** What it leaves of the wanted curve between 20 Hz and 20 kHz: effective value, the most, and where. */
  leftDb: z.number(),
  mostLeftDb: z.number(),
  mostLeftHertz: z.number(),
  /** What cannot be reached, and why, in sentences. */
  unreached: z.array(z.string()),
});
export type FoundSettings = z.infer<typeof foundSettingsSchema>;

/** What is to be come close to: the part of a report that a curve is told by. */
export const wantedSchema = benchReportSchema
  .pick({ response: true, signal: true, phaseKind: true, realised: true })
  .extend({
    /** Whether its gain moves with level, and the harmonics it adds to a tone. */
    movesWithLevel: z.boolean(),
    thdPercent: z.number().nullable(),
  });
export type Wanted = z.infer<typeof wantedSchema>;

export const wantedOf = ({ response, signal, phaseKind, realised, static: law, harmonics }: BenchReport): Wanted => ({
  response,
  signal,
  phaseKind,
  realised,
  movesWithLevel: law !== null,
  thdPercent: harmonics[0].thdPercent,
});

/** A curve that comes as near as this is as good as the same (dB). */
export const AS_GOOD_DB = 0.1;
