import { z } from "zod";
import { create } from "zustand";
import { readSetting, writeSetting } from "@/store/settings";

/** A curve that was put by, to be held against others: across passages, pairs and comparisons, until it is let go. */
const keptCurveSchema = z.object({
  id: z.number(),
  title: z.string(),
  /** Whether it is a transfer, in dB about nought, or a spectrum, in dBFS. */
  isRelative: z.boolean(),
  hertz: z.array(z.number()).readonly(),
  levels: z.custom<Float64Array>((levels) => levels instanceof Float64Array),
});
export type KeptCurve = z.infer<typeof keptCurveSchema>;

/** No chart holds more than this many beside its own and can still be read. */
export const MOST_KEPT = 8;

export const useKeptCurves = create<{ curves: readonly KeptCurve[] }>(() => ({ curves: [] }));

const SETTING = "kept curves";
let next = 1;
let loaded: Promise<void> | null = null;
/** Ends when what was last to be written has been: writes go one behind the other. */
let written: Promise<void> = Promise.resolve();

/** Writes down what is kept by then. */
function write(): void {
  written = written.catch(() => {}).then(() => writeSetting(SETTING, useKeptCurves.getState().curves));
}

/** Brings back, once a page, what was put by before; from then on every change is written down. */
export function loadKeptCurves(): Promise<void> {
  loaded ??= (async () => {
    const before = (await readSetting(SETTING, z.array(keptCurveSchema))) ?? [];
    next = Math.max(next, ...before.map(({ id }) => id + 1));
    // What was put by while they were read comes behind them. What could not be read stays as it is until there is something else to keep.
    const meanwhile = useKeptCurves.getState().curves.map((curve) => ({ ...curve, id: next++ }));
    useKeptCurves.setState({ curves: [...before, ...meanwhile].slice(0, MOST_KEPT) });
    useKeptCurves.subscribe(write);
    if (meanwhile.length > 0) write();
  })();
  return loaded;
}

/** Puts curves by, as many as there is room for. */
export const keepCurves = (curves: readonly Omit<KeptCurve, "id">[]): void =>
  useKeptCurves.setState((before) => ({
    curves: [...before.curves, ...curves.map((curve) => ({ ...curve, id: next++ }))].slice(0, MOST_KEPT),
  }));

export const dropCurve = (id: number): void =>
  useKeptCurves.setState((before) => ({ curves: before.curves.filter((c) => c.id !== id) }));

export const renameCurve = (id: number, title: string): void =>
  useKeptCurves.setState((before) => ({ curves: before.curves.map((c) => (c.id === id ? { ...c, title } : c)) }));

/** Kept curves are distinguished by their dashes, for colours mean Here, Yonder and the difference. */
const DASHES = ["8 3", "2 2", "10 3 2 3", "5 2 1 2 1 2", "14 4", "1 4", "6 6", "12 2 4 2"] as const;
export const keptLine = (n: number) => ({
  colour: n % 2 === 0 ? "var(--color-base-content)" : "var(--soft-ink)",
  dash: DASHES[n % DASHES.length],
  width: 1.25,
});
