import { seededRandom } from "../audio/random";

/** A probability by chance alone: exact, or from so many shuffles that it lies within `error` in 997 of 1000 cases. */
export type ChanceFigure = { p: number; error: number };

export const SHUFFLES = 20_000;
const SEED = 20261126;
const STANDARD_ERRORS = 3;

export const exactly = (p: number): ChanceFigure => ({ p: Math.min(1, p), error: 0 });

/**
 * The share of shuffles whose statistic is `observed` or more, the observed one counted among them, so that a listener who guesses passes no more often
 * than is said (Phipson and Smyth 2010). The same shuffles at every call.
 */
export function chanceByShuffling(observed: number, draw: (random: () => number) => number): ChanceFigure {
  const random = seededRandom(SEED);
  // Sums that are equal on paper may differ in their last bits.
  const least = observed - 1e-9 * Math.max(1, Math.abs(observed));
  let reached = 0;
  for (let i = 0; i < SHUFFLES; i++) if (draw(random) >= least) reached++;
  const p = (1 + reached) / (1 + SHUFFLES);
  return { p, error: STANDARD_ERRORS * Math.sqrt((p * (1 - p)) / SHUFFLES) };
}

/** Shuffles an array in place. */
export function shuffleInPlace<T>(items: T[], random: () => number): T[] {
  for (let last = items.length - 1; last > 0; last--) {
    const other = Math.floor(random() * (last + 1));
    [items[last], items[other]] = [items[other], items[last]];
  }
  return items;
}
