import { TOLERANCE_LU } from "@/core/matching/match";
import { levelApart } from "@/ui/shell/level-apart";
import type { Figures } from "@/ui/shell/use-results";

export type LevelCheck =
  | { state: "measuring" }
  | { state: "no figure" }
  | { state: "fair" | "unfair"; remaining: number; unit: "LU" | "dB" };

/** What is left between the two over the region of the run, after matching. */
export function levelCheckOf({ figures }: Pick<Figures, "figures">): LevelCheck {
  if (!figures) return { state: "measuring" };
  const apart = levelApart(figures.hereMatched, figures.yonderMatched);
  if (!apart) return { state: "no figure" };
  return { state: Math.abs(apart.value) > TOLERANCE_LU ? "unfair" : "fair", remaining: apart.value, unit: apart.unit };
}
