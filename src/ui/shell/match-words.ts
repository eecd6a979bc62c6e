import { type MatchMethod, METHOD_UNITS, type PassageMatch } from "@/core/matching/match-passage";
import type { Passage } from "@/store/records";
import { decibels, number } from "@/ui/format";

/** Each method as people call it. */
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
  const because =
    method === settings.method ? "" : `, because some render has no ${METHOD_NAMES[settings.method]} there`;
  const lowered =
    trimDb < 0
      ? ` Everything is ${number(-trimDb)} dB lower than that, so that no true peak passes ${decibels(settings.ceilingDbtp, "dBTP")}.`
      : "";
  return `Matched to ${to} by ${METHOD_NAMES[method]} over ${over}${because}.${lowered}`;
}
