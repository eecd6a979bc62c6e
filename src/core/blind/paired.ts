import padjust from "@stdlib/stats-padjust";
import { chanceOfAtLeast } from "./odds";
import { SIGNIFICANCE_LEVEL } from "./plan";

/** Two stimuli held against each other; `ahead` is told when the data separate them. */
export type PairTest = {
  a: number;
  b: number;
  /** Chance of so much of a difference or more between two that are alike, by itself and corrected after Holm (1979). */
  p: number;
  corrected: number;
  ahead: "a" | "b" | null;
};

type Untold = { a: number; b: number; p: number; leads: "a" | "b" | null };

/** Corrects the tests of all pairs together; those at 5 % or less are distinguished. */
export function corrected(tests: readonly Untold[]): PairTest[] {
  if (tests.length === 0) return [];
  const all = padjust(
    tests.map((t) => t.p),
    "holm",
  );
  return tests.map(({ a, b, p, leads }, i) => ({
    a,
    b,
    p,
    corrected: all[i],
    ahead: all[i] <= SIGNIFICANCE_LEVEL ? leads : null,
  }));
}

/** Two-sided exact binomial chance of a split as uneven as this between two that are liked alike: the sign test. */
export function splitChance(first: number, second: number): number {
  const total = first + second;
  return total === 0 ? 1 : Math.min(1, 2 * chanceOfAtLeast(Math.max(first, second), total, 0.5));
}

export const everyPair = (count: number): [number, number][] =>
  Array.from({ length: count }, (_, a) => a).flatMap((a) =>
    Array.from({ length: count - a - 1 }, (_, i): [number, number] => [a, a + 1 + i]),
  );
