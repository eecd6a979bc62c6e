import { BENCH_FIGURES } from "./figures-bench";
import { BLIND_FIGURES } from "./figures-blind";
import { EXPLAIN_FIGURES } from "./figures-explain";
import { LEVEL_FIGURES } from "./figures-levels";

/** Every figure that the app can be asked about. */
export const FIGURES = { ...LEVEL_FIGURES, ...EXPLAIN_FIGURES, ...BENCH_FIGURES, ...BLIND_FIGURES } as const;

export type FigureKey = keyof typeof FIGURES;
