import { exp, log } from "../audio/exact-math";
import { type ChanceFigure, chanceByShuffling, exactly } from "./permutation";

/** Outcomes gone through one by one at the most; beyond, shuffles. */
const MOST_OUTCOMES = 300_000;

/** Sums of logarithms differ in their last bits where their outcomes are equally likely. */
const SAME = 1e-9;

/** ln n! for n = 0 to `most`. */
function logFactorials(most: number): Float64Array {
  const table = new Float64Array(most + 1);
  for (let n = 2; n <= most; n++) table[n] = table[n - 1] + log(n);
  return table;
}

/** How many ways there are to write `total` as a sum of at most `parts` whole numbers, order aside. */
function partitionCount(total: number, parts: number): number {
  const ways = new Float64Array(total + 1);
  ways[0] = 1;
  for (let part = 1; part <= parts; part++) for (let n = part; n <= total; n++) ways[n] += ways[n - part];
  return ways[total];
}

/** Calls `visit` with every way to spread `total` over `cells`, largest count first; the array is used again. */
function eachPartition(total: number, cells: number, visit: (counts: Int32Array) => void): void {
  const counts = new Int32Array(cells);
  const place = (cell: number, left: number, most: number) => {
    if (cell === cells - 1) {
      if (left > most) return;
      counts[cell] = left;
      visit(counts);
      return;
    }
    for (let n = Math.min(left, most); n * (cells - cell) >= left; n--) {
      counts[cell] = n;
      place(cell + 1, left - n, n);
    }
  };
  place(0, total, total);
}

/**
 * ln of the chance of counts that stand in no order, when each of `total` picks falls on any of the cells alike: the multinomial
 * coefficient, times the ways to give the counts to cells.
 */
function logChance(counts: Int32Array, total: number, table: Float64Array): { single: number; all: number } {
  let single = table[total] - total * log(counts.length);
  let arrangements = table[counts.length];
  let alike = 0;
  for (const [i, n] of counts.entries()) {
    single -= table[n];
    alike = i > 0 && counts[i - 1] === n ? alike + 1 : 1;
    arrangements -= log(alike);
  }
  return { single, all: single + arrangements };
}

/**
 * The exact multinomial test against even odds: the chance of picks that are no more likely than these, if each pick falls on any of the
 * options alike (Read and Cressie, Goodness-of-Fit Statistics, 1988). `counts`: picks of each option, two or more. Over 300,000 outcomes
 * it is found by shuffles, and carries its error.
 */
export function evenOdds(counts: readonly number[]): ChanceFigure {
  const total = counts.reduce((sum, n) => sum + n, 0);
  if (total === 0) return exactly(1);
  const table = logFactorials(Math.max(total, counts.length));
  const rarity = (some: ArrayLike<number>) => {
    let sum = 0;
    for (let i = 0; i < some.length; i++) sum += table[some[i]];
    return sum;
  };
  const observed = rarity(counts);
  if (partitionCount(total, counts.length) > MOST_OUTCOMES) {
    return chanceByShuffling(observed, (random) => {
      const drawn = counts.map(() => 0);
      for (let i = 0; i < total; i++) drawn[Math.floor(random() * counts.length)]++;
      return rarity(drawn);
    });
  }
  let p = 0;
  eachPartition(total, counts.length, (some) => {
    if (rarity(some) >= observed - SAME) p += exp(logChance(some, total, table).all);
  });
  return exactly(p);
}

/** The fewest of `rounds` that one option out of `options` must be picked in, so that any is by chance in at most `alpha` of cases; null when not even all do. */
export function fewestPicks(rounds: number, options: number, alpha: number): number | null {
  const table = logFactorials(Math.max(rounds, options));
  const chanceOfTop = new Float64Array(rounds + 1);
  eachPartition(rounds, options, (counts) => {
    chanceOfTop[counts[0]] += exp(logChance(counts, rounds, table).all);
  });
  let reached = 0;
  for (let top = rounds; top >= 0; top--) {
    reached += chanceOfTop[top];
    if (reached > alpha) return top === rounds ? null : top + 1;
  }
  return null;
}
