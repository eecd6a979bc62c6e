import { gainToLoudness } from "../loudness/loudness";
import type { Levels } from "../loudness/measure";

/** Highest true peak a match may lift anything to (common practice, no published source; same as EBU R 128's limit). */
export const CEILING_DBTP = -1;
/** More than this left after matching is a warning and holds up a blind run (common practice, no published source). */
export const TOLERANCE_LU = 0.1;

export type Match = {
  method: "integrated" | "rms";
  /** Brings the render to the reference's level. */
  gainDb: number;
  /** How many LU (dB for RMS) the render was favoured by before matching. */
  edgeLu: number;
};

type LevelFigures = Pick<Levels, "integratedLufs" | "rmsDbfs"> & Partial<Pick<Levels, "gating">>;

/** Integrated loudness where both have one, else RMS; null when either is silent. */
export function matchToReference(reference: LevelFigures, render: LevelFigures): Match | null {
  if (reference.integratedLufs !== null && render.integratedLufs !== null) {
    const edgeLu = render.integratedLufs - reference.integratedLufs;
    // The gate may fall otherwise at the new level: the gain is the one after which the level is right.
    return {
      method: "integrated",
      gainDb: gainToLoudness(render.gating ?? [], reference.integratedLufs) ?? 0 - edgeLu,
      edgeLu,
    };
  }
  if (reference.rmsDbfs !== null && render.rmsDbfs !== null) {
    const edgeLu = render.rmsDbfs - reference.rmsDbfs;
    return { method: "rms", gainDb: 0 - edgeLu, edgeLu };
  }
  return null;
}

/**
 * The gain in dB, never above 0, by which everything comes down together so that no true peak passes `ceilingDbtp`.
 * `entries` hold each render's true peak as delivered and the gain its match gives it.
 */
export function commonTrimDb(
  entries: readonly { truePeakDbtp: number | null; gainDb: number }[],
  ceilingDbtp: number = CEILING_DBTP,
): number {
  return entries.reduce(
    (trim, { truePeakDbtp, gainDb }) =>
      truePeakDbtp === null ? trim : Math.min(trim, ceilingDbtp - truePeakDbtp - gainDb),
    0,
  );
}
