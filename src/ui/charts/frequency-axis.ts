import { create } from "zustand";
import type { Span } from "./chart-frame";

/** What ears hear: the whole of a frequency axis, up to half the rate. */
export const audible = (rateHz: number): Span => [20, Math.min(20_000, rateHz / 2)];

const MARKS = [20, 30, 50, 100, 200, 300, 500, 1000, 2000, 3000, 5000, 10_000, 20_000];
const FINE_MARKS = [1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 7, 8, 9];

/** Frequencies that are reported on an axis by logarithm: the usual ones, finer when little is in sight. */
export function frequencyMarks([from, to]: Span): number[] {
  if (to / from > 8) return MARKS;
  return [10, 100, 1000, 10_000].flatMap((decade) => FINE_MARKS.map((m) => Math.round(m * decade)));
}

/** As an axis says it: 50, 1k, 2.5k. */
export const shortHertz = (hertz: number): string =>
  hertz >= 1000 ? `${Number((hertz / 1000).toFixed(2))}k` : String(Math.round(hertz));

/** Whether frequencies stand by their logarithm, in all charts alike. */
export const useFrequencyAxis = create<{ isLog: boolean }>(() => ({ isLog: true }));
export const setLogFrequency = (isLog: boolean): void => useFrequencyAxis.setState({ isLog });
