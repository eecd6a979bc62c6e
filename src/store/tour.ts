import { z } from "zod";
import { readSetting, writeSetting } from "./settings";

export const TOUR_STEPS = ["levels", "alignment", "difference", "abx", "explain", "bench", "findings"] as const;
export type TourStep = (typeof TOUR_STEPS)[number];

const KEY = "tour";

const tourSchema = z.object({
  /** "offered": shown once and not begun. "left": can be taken up again. "over": all steps done, or closed at the end. */
  state: z.enum(["offered", "on", "left", "over"]),
  comparisonId: z.string(),
  startedAt: z.string(),
  done: z.array(z.enum(TOUR_STEPS)),
});
export type Tour = z.infer<typeof tourSchema>;

/** The tour as it stands; null where it was never offered. */
export const readTour = (): Promise<Tour | null> => readSetting(KEY, tourSchema);

/** Begins the tour in a comparison, or takes it up again where it was left there. */
export async function startTour(comparisonId: string): Promise<void> {
  const before = await readTour();
  const goesOn = before?.state === "left" && before.comparisonId === comparisonId;
  const fresh: Tour = { state: "on", comparisonId, startedAt: new Date().toISOString(), done: [] };
  await writeSetting(KEY, goesOn ? { ...before, state: "on" } : fresh);
}

/** Keeps that the tour was offered, so that it never shows by itself twice. */
export async function noteOffered(comparisonId: string): Promise<void> {
  if (await readTour()) return;
  const offered: Tour = { state: "offered", comparisonId, startedAt: new Date().toISOString(), done: [] };
  await writeSetting(KEY, offered);
}

export async function leaveTour(): Promise<void> {
  const tour = await readTour();
  if (!tour) return;
  const isWhole = tour.done.length === TOUR_STEPS.length;
  await writeSetting(KEY, { ...tour, state: isWhole ? "over" : "left" });
}

/** Marks a step of the running tour as done. */
export async function markStep(step: TourStep): Promise<void> {
  const tour = await readTour();
  if (tour?.state !== "on" || tour.done.includes(step)) return;
  await writeSetting(KEY, { ...tour, done: [...tour.done, step] });
}
