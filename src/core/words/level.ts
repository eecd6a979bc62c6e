import type { Passage } from "../archive/rows";
import { type MatchMethod, METHOD_UNITS, type PassageMatch } from "../matching/match-passage";
import { decibels, signed, withUnit } from "./units";

/** Match methods by their names. */
export const METHOD_NAMES: Record<MatchMethod, string> = {
  integrated: "integrated loudness",
  "short-term": "loudest short-term",
  rms: "RMS",
  "true peak": "true peak",
  "least squares": "least squares",
};

/** How a passage is matched, in a sentence or two. */
export function matchWords(match: PassageMatch, { match: settings, loop }: Passage): string {
  const { method, trimDb } = match;
  const to =
    settings.target.to === "dry"
      ? "the dry render"
      : settings.target.to === "quietest"
        ? "the quietest render"
        : decibels(match.targetLevel, METHOD_UNITS[method].level);
  const over = settings.over === "loop" && loop ? "the loop" : "the whole passage";
  const because = method === settings.method ? "" : `, because a render has no ${METHOD_NAMES[settings.method]} there`;
  const lowered =
    trimDb < 0
      ? ` All lowered by ${decibels(-trimDb)}, so that no true peak exceeds ${decibels(settings.ceilingDbtp, "dBTP")}.`
      : "";
  return `Matched to ${to} by ${METHOD_NAMES[method]} over ${over}${because}.${lowered}`;
}

/** A level offset under this would read 0.0. */
const LEAST_OFFSET = 0.05;

/** Which render was loudest re dry, before matching. */
export const loudestSentence = (title: string, offset: number, unit: string): string =>
  offset >= LEAST_OFFSET
    ? `${title} was loudest: ${withUnit(signed(offset), unit)} re dry before matching.`
    : `No render was louder than dry. The closest: ${withUnit(signed(offset), unit)}.`;

/** How many files meet a delivery target. `turnDownDb`: of the loudest, 0 or less. */
export const deliverySentence = (meet: number, count: number, turnDownDb: number): string =>
  `${meet === 0 ? "None" : meet} of ${count} meet the target${turnDownDb < 0 ? `; the loudest is turned down by ${decibels(-turnDownDb)}` : ""}.`;

/** Below this, dB or LU, a difference of dynamics is not named. */
const LEAST_DIFFERENCE = 0.05;

/** Peak-to-loudness ratio and loudness range of Yonder re Here; null where a figure is not known. */
export function loudnessDifference(plrDb: number | null, rangeLu: number | null): string {
  const words = (name: string, value: number | null, unit: string) =>
    value === null || Math.abs(value) < LEAST_DIFFERENCE ? null : `${name} ${withUnit(signed(value), unit)}`;
  const parts = [words("peak-to-loudness ratio", plrDb, "dB"), words("loudness range", rangeLu, "LU")].filter(Boolean);
  return parts.length > 0 ? `Yonder re Here: ${parts.join(", ")}.` : "Same loudness range and peak-to-loudness ratio.";
}

/** What the difference is, as it is played. `boostDb`: in force, after the limit that keeps it quieter than Here. */
export const differenceSentence = (isMatched: boolean, boostDb: number): string =>
  `Yonder − Here at ${isMatched ? "the deepest-null gain" : "original level"}, boosted by ${decibels(boostDb)}.`;
