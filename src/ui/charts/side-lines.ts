import { LABELS } from "@/ui/labels";
import type { LegendLine } from "./chart-panel";

/** How the sides of a pair are drawn everywhere; Yonder comes over Here, so that its dashes show both where they are one. */
export const LINES: Record<"dry" | "here" | "yonder" | "apart", LegendLine> = {
  dry: { title: "dry", colour: "var(--soft-ink)", dash: "1 3", width: 1.5 },
  here: { title: LABELS.here, colour: "var(--here)", width: 2 },
  yonder: { title: LABELS.yonder, colour: "var(--yonder)", dash: "7 4", width: 2 },
  apart: { title: LABELS.yonderReHere, colour: "var(--difference)", width: 2 },
};
