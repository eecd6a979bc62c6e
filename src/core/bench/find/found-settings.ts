import { z } from "zod";
import type { Found } from "../../ladder/found-chain";
import { filterCurve, filterOf } from "../../ladder/found-filter";
import { chainSchema } from "../../processors/chain";
import type { Averaged } from "../../spectrum/averaged";
import { bandTransfer, COHERENT } from "../../spectrum/transfer";
import { LINEAR_KINDS } from "../kind/kind";
import { type BenchReport, benchReportSchema, KNOWN_DB } from "../report";

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
  /** What noise leaves open of the wanted curve, effective value of its standard deviation. */
  noiseDb: z.number(),
  /** What cannot be reached, and why, in sentences. */
  unreached: z.array(z.string()),
});
export type FoundSettings = z.infer<typeof foundSettingsSchema>;

/** What is to be come close to: the part of a report that a curve is judged by. */
export const wantedSchema = benchReportSchema.pick({ response: true, phaseKind: true, realised: true }).extend({
  /** Only its rate counts. */
  signal: z.object({ sampleRateHz: z.number(), levelDbfs: z.number(), channelCount: z.number() }),
  /** Whether its gain moves with level, and the harmonics it adds to a tone. */
  movesWithLevel: z.boolean(),
  thdPercent: z.number().nullable(),
});
export type Wanted = z.infer<typeof wantedSchema>;

/** What is asked for of a report: its curve where noise does not hide it; null where too little of it is known. */
export function wantedOf(report: BenchReport): Wanted | null {
  const { response, signal, phaseKind, realised, static: staticCurve, harmonics, kind } = report;
  const known = response.hertz.map((_, i) => i).filter((i) => response.errorDb[i] < KNOWN_DB);
  if (known.length < LEAST_KNOWN) return null;
  const at = (values: readonly number[]) => known.map((i) => values[i]);
  return {
    response: {
      hertz: at(response.hertz),
      magnitudeDb: at(response.magnitudeDb),
      phaseDegrees: at(response.phaseDegrees),
      groupDelayMs: at(response.groupDelayMs),
      errorDb: at(response.errorDb),
    },
    signal,
    phaseKind,
    realised,
    movesWithLevel: staticCurve !== null || !(LINEAR_KINDS.includes(kind.name) || kind.name === "unknown"),
    thdPercent: harmonics[0].thdPercent,
  };
}

/** Where a sound says nothing of a filter it is not asked for: the curve is reported where both follow each other. */
const PER_OCTAVE = 24;

/** What the ladder found as a wanted curve: that of the left side, or of both; null where too little of it is known for sure. */
export function wantedOfFound(found: Found, averaged: Averaged): Wanted | null {
  const { sampleRateHz } = averaged;
  const filter = filterOf(found, sampleRateHz);
  if (!filter) return null;
  const movesWithLevel = found.stages.some(({ kind }) => kind === "gain");
  const { hertz, responses } = filterCurve(filter, sampleRateHz);
  const { coherence } = bandTransfer(averaged, 1, hertz, PER_OCTAVE);
  const known = hertz.map((_, i) => i).filter((i) => coherence[i] >= COHERENT);
  if (known.length < LEAST_KNOWN) return null;
  const at = (values: readonly number[]) => known.map((i) => values[i]);
  return {
    response: {
      hertz: at(hertz),
      magnitudeDb: at(responses[0].gainDb),
      phaseDegrees: at(responses[0].degrees),
      groupDelayMs: [],
      errorDb: [],
    },
    signal: { sampleRateHz, levelDbfs: 0, channelCount: 1 },
    phaseKind: "unknown",
    realised: null,
    movesWithLevel,
    thdPercent: null,
  };
}
const LEAST_KNOWN = 12;

/** A curve that comes as near as this is as good as the same (dB). */
export const AS_GOOD_DB = 0.1;
