import { create } from "zustand";

/** A curve that was put by, to be held against others: across passages, pairs and comparisons, until the page is left. */
export type KeptCurve = {
  id: number;
  title: string;
  /** Whether it is a transfer, in dB about nought, or a spectrum, in dBFS. */
  isRelative: boolean;
  hertz: readonly number[];
  levels: Float64Array;
};

/** No chart holds more than this many beside its own and can still be read. */
export const MOST_KEPT = 8;

export const useKeptCurves = create<{ curves: readonly KeptCurve[] }>(() => ({ curves: [] }));

let next = 1;

/** Puts curves by, as many as there is room for. */
export const keepCurves = (curves: readonly Omit<KeptCurve, "id">[]): void =>
  useKeptCurves.setState((before) => ({
    curves: [...before.curves, ...curves.map((curve) => ({ ...curve, id: next++ }))].slice(0, MOST_KEPT),
  }));

export const dropCurve = (id: number): void =>
  useKeptCurves.setState((before) => ({ curves: before.curves.filter((c) => c.id !== id) }));

export const renameCurve = (id: number, title: string): void =>
  useKeptCurves.setState((before) => ({ curves: before.curves.map((c) => (c.id === id ? { ...c, title } : c)) }));

/** Kept curves are told apart by their dashes, for colours mean Here, Yonder and the difference. */
const DASHES = ["8 3", "2 2", "10 3 2 3", "5 2 1 2 1 2", "14 4", "1 4", "6 6", "12 2 4 2"] as const;
export const keptLine = (n: number) => ({
  colour: n % 2 === 0 ? "var(--color-base-content)" : "var(--soft-ink)",
  dash: DASHES[n % DASHES.length],
  width: 1.25,
});
