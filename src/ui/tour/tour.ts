import { create } from "zustand";
import type { TourStep } from "@/store/tour";
import type { StopKey } from "@/ui/shell/stops";

type Step = { key: TourStep; title: string; does: string; stop: StopKey | null };

/** The steps of the tour, in the order of the guide's first chapter. */
export const STEPS: readonly Step[] = [
  {
    key: "levels",
    title: "Hear the pair",
    does: "Press Space to play. Press M to switch between matched and original level.",
    stop: null,
  },
  {
    key: "alignment",
    title: "See what lines up",
    does: "Line up shows delay, drift, polarity and confidence of each render.",
    stop: "line-up",
  },
  { key: "difference", title: "Hear the difference", does: "Press D: Yonder − Here, boosted.", stop: null },
  { key: "abx", title: "Take an ABX", does: "At Blind choose 6 trials, begin, and answer them all.", stop: "blind" },
  {
    key: "explain",
    title: "See what differs, and where to listen",
    does: "Read the causes at Explain. Loop a moment under Where to listen.",
    stop: "explain",
  },
  {
    key: "bench",
    title: "Measure a processor",
    does: "Bench shows what a processor does to test signals.",
    stop: "bench",
  },
  {
    key: "findings",
    title: "Decide, and hand it on",
    does: "At Findings choose a cell and press 1, 2 or 3. Press R and save the report.",
    stop: "findings",
  },
];

/** Reports saved since the page was loaded: the tour's last step waits for one. */
export const useSavedReports = create<{ count: number }>(() => ({ count: 0 }));
export const noteSavedReport = (): void => useSavedReports.setState(({ count }) => ({ count: count + 1 }));
