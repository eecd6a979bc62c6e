import { TOLERANCE_LU } from "../matching/match";
import { METHOD_UNITS } from "../matching/match-passage";
import type { Run } from "./run";

/** What a run was begun in spite of, that may be what was heard. */
export type Flaw = { name: "level" | "alignment" | "clipping"; remaining: number | null; unit: "LU" | "dB" };

type Judged = Pick<Run, "overruled" | "match">;

/** The flaws of a run: checks that were overruled, and level that remained whether anyone was asked or not. */
export function flawsOf({ overruled, match }: Judged): Flaw[] {
  const remaining = match.remainingLu === null ? null : Math.abs(match.remainingLu);
  const { difference: unit } = METHOD_UNITS[match.method];
  const wasOverruled = (name: Flaw["name"]) => overruled.some((o) => o.name === name);
  const isUnequal = wasOverruled("level") || (remaining !== null && remaining > TOLERANCE_LU);
  return [
    ...(isUnequal ? [{ name: "level" as const, remaining, unit }] : []),
    ...(["alignment", "clipping"] as const).filter(wasOverruled).map((name) => ({ name, remaining: null, unit })),
  ];
}

/** The flaws of several runs, each kind once, with the most level that remained. */
export function flawsOfAll(runs: readonly Judged[]): Flaw[] {
  const all = runs.flatMap(flawsOf).toSorted((a, b) => (b.remaining ?? 0) - (a.remaining ?? 0));
  return all.filter(({ name }, i) => all.findIndex((flaw) => flaw.name === name) === i);
}

/** "at unequal level (1.40 LU remaining) and with alignment in doubt". */
export function flawWords(flaws: readonly Flaw[]): string {
  return flaws
    .map(({ name, remaining, unit }) => {
      if (name === "alignment") return "with alignment in doubt";
      if (name === "clipping") return "with playback clipping";
      return remaining === null ? "at unmatched level" : `at unequal level (${remaining.toFixed(2)} ${unit} remaining)`;
    })
    .join(" and ");
}

const CAUSES = { level: "level", alignment: "a jump in time", clipping: "clipping" } as const;

/** What a difference that was shown in spite of flaws does not say. */
export const flawSentence = (flaws: readonly Flaw[]): string =>
  `What was heard may be ${flaws.map(({ name }) => CAUSES[name]).join(" or ")}: this says nothing about the processing.`;
