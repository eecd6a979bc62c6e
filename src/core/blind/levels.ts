import type { Levels } from "../loudness/measure";
import type { Checked } from "./checks";

type Level = Pick<Levels, "integratedLufs" | "rmsDbfs">;

/** Loudness where all have one; RMS otherwise. */
export function levelsIn(all: readonly (Level | undefined)[]): Checked["level"][] {
  const known = all.flatMap((l) => (l ? [l] : []));
  const loud = known.every((l) => l.integratedLufs !== null || l.rmsDbfs === null);
  return all.map((l) => {
    if (!l) return undefined;
    const value = loud ? l.integratedLufs : l.rmsDbfs;
    return value === null ? null : { value, unit: loud ? ("LU" as const) : ("dB" as const) };
  });
}
