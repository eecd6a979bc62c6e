import { z } from "zod";
import { gainToLoudness } from "../loudness/loudness";
import type { Levels } from "../loudness/measure";
import { CEILING_DBTP, commonTrimDb } from "./match";

export const MATCH_METHODS = ["integrated", "short-term", "rms", "true peak", "least squares"] as const;
export type MatchMethod = (typeof MATCH_METHODS)[number];

/** What each method compares, for people: unit of a level, unit of a difference. */
export const METHOD_UNITS: Record<MatchMethod, { level: string; difference: "LU" | "dB" }> = {
  integrated: { level: "LUFS", difference: "LU" },
  "short-term": { level: "LUFS", difference: "LU" },
  rms: { level: "dBFS", difference: "dB" },
  "true peak": { level: "dBTP", difference: "dB" },
  "least squares": { level: "dB", difference: "dB" },
};

/** How the renders of a passage are brought to one level. */
export const matchSettingsSchema = z.object({
  method: z.enum(MATCH_METHODS),
  over: z.enum(["passage", "loop"]),
  target: z.discriminatedUnion("to", [
    z.object({ to: z.literal("dry") }),
    z.object({ to: z.literal("quietest") }),
    /** In the method's unit; for least squares, dB over the dry render. */
    z.object({ to: z.literal("figure"), level: z.number().min(-70).max(0) }),
  ]),
  ceilingDbtp: z.number().min(-20).max(0),
});
export type MatchSettings = z.infer<typeof matchSettingsSchema>;

/** Integrated loudness over the whole passage, to the dry render, under −1 dBTP. */
export const DEFAULT_MATCH: MatchSettings = {
  method: "integrated",
  over: "passage",
  target: { to: "dry" },
  ceilingDbtp: CEILING_DBTP,
};

/** One render's levels over the region that is matched. */
type MatchedLevels = Pick<Levels, "integratedLufs" | "maxShortTermLufs" | "rmsDbfs" | "truePeakDbtp"> &
  Partial<Pick<Levels, "gating">>;
export type MatchEntry = {
  id: string;
  /** Over what of the region the render covers. */
  levels: MatchedLevels;
  /** The dry render's over the same stretch, where that is less than the region: what a render lacks must not count as its level. */
  dryLevels?: MatchedLevels | null;
  /** The gain in dB that lays it on the dry render best; asked for by least squares alone. */
  fitGainDb?: number | null;
  /** Of the whole render aligned, not of the region alone: it is played past the region too. */
  wholeTruePeakDbtp: number | null;
};

export type MatchedRender = {
  /** By the method in force, in its unit; null where it has no figure. */
  level: number | null;
  /** How much it was favoured by before matching: its level over the dry one's. */
  levelOffset: number | null;
  /** The trim included. */
  gainDb: number;
};

export type PassageMatch = {
  /** The method in force: another than asked for where that one has no figure for some render. */
  method: MatchMethod;
  targetLevel: number | null;
  /** By how much everything came down together for the ceiling; 0 or less. */
  trimDb: number;
  renders: Map<string, MatchedRender>;
};

function levelBy(method: MatchMethod, { levels, fitGainDb }: Pick<MatchEntry, "levels" | "fitGainDb">): number | null {
  switch (method) {
    case "integrated":
      return levels.integratedLufs;
    case "short-term":
      return levels.maxShortTermLufs;
    case "rms":
      return levels.rmsDbfs;
    case "true peak":
      return levels.truePeakDbtp;
    case "least squares":
      return fitGainDb === null || fitGainDb === undefined ? null : 0 - fitGainDb;
  }
}

/** Silence has no level by any method and stands in no method's way. */
const isSilent = ({ levels }: MatchEntry): boolean => levels.rmsDbfs === null;

/** The method asked for where it has a figure for all that sounds, else RMS, which always has. */
function methodInForce(wanted: MatchMethod, entries: readonly MatchEntry[]): MatchMethod {
  return entries.every((e) => isSilent(e) || levelBy(wanted, e) !== null) ? wanted : "rms";
}

function targetOf(settings: MatchSettings, method: MatchMethod, levels: readonly number[], dryLevel: number | null) {
  const { target } = settings;
  // A figure stands in the unit of the method it was set for.
  if (target.to === "figure" && method === settings.method) return target.level;
  return target.to === "quietest" ? Math.min(...levels) : dryLevel;
}

/**
 * Gains that bring every render of a passage to one level by the method set, over the region the levels were measured on; all
 * come down together where a true peak would pass the ceiling. A silent render gets the trim alone.
 */
export function matchPassage(entries: readonly MatchEntry[], dryId: string, settings: MatchSettings): PassageMatch {
  const method = methodInForce(settings.method, entries);
  const dry = entries.find((e) => e.id === dryId);
  const ownLevel = (entry: MatchEntry) => (isSilent(entry) ? null : levelBy(method, entry));
  const dryLevel = dry ? ownLevel(dry) : null;
  // A render that covers less than the region is held against the dry one where it covers it.
  const shiftOf = (entry: MatchEntry): number => {
    const there = entry.dryLevels && method !== "least squares" ? levelBy(method, { levels: entry.dryLevels }) : null;
    return there === null || dryLevel === null ? 0 : dryLevel - there;
  };
  const levelOf = (entry: MatchEntry) => {
    const level = ownLevel(entry);
    return level === null ? null : level + shiftOf(entry);
  };
  const gainOf = (entry: MatchEntry, level: number, target: number): number =>
    (method === "integrated" ? gainToLoudness(entry.levels.gating ?? [], target - shiftOf(entry)) : null) ??
    target - level;
  const told = entries.map(levelOf).filter((level) => level !== null);
  const targetLevel = told.length > 0 ? targetOf(settings, method, told, dryLevel) : null;
  const plain = entries.map((entry) => {
    const level = levelOf(entry);
    return {
      id: entry.id,
      level,
      levelOffset: level === null || dryLevel === null ? null : level - dryLevel,
      gainDb: level === null || targetLevel === null ? 0 : gainOf(entry, level, targetLevel),
      truePeakDbtp: entry.wholeTruePeakDbtp,
    };
  });
  const trimDb = commonTrimDb(plain, settings.ceilingDbtp);
  return {
    method,
    targetLevel,
    trimDb,
    renders: new Map(
      plain.map(({ id, level, levelOffset, gainDb }) => [id, { level, levelOffset, gainDb: gainDb + trimDb }]),
    ),
  };
}
