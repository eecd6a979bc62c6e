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
