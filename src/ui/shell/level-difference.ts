import type { PairLevel } from "@/core/difference/pair";

/** Yonder minus Here in LU, or in dB of RMS where a loop is too short for loudness. */
export function levelDifference(here: PairLevel, yonder: PairLevel): { value: number; unit: "LU" | "dB" } | null {
  if (here.integratedLufs !== null && yonder.integratedLufs !== null) {
    return { value: yonder.integratedLufs - here.integratedLufs, unit: "LU" };
  }
  if (here.rmsDbfs !== null && yonder.rmsDbfs !== null) return { value: yonder.rmsDbfs - here.rmsDbfs, unit: "dB" };
  return null;
}
