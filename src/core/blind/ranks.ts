import { type ChanceFigure, chanceByShuffling, exactly, shuffleInPlace } from "./permutation";

/** Ranks from 1 for the lowest, those that are equal sharing the mean of theirs, doubled so that they are whole. */
export function doubledRanks(values: readonly number[]): number[] {
  return values.map((value) => {
    const lower = values.filter((v) => v < value).length;
    const equal = values.filter((v) => v === value).length;
    return 2 * lower + equal + 1;
  });
}

export type Friedman = ChanceFigure & {
  /** Friedman's statistic with the correction for ties; 0 where nothing is distinguished. */
  statistic: number;
  /** Kendall's W, 0 to 1: how far the blocks agree. */
  agreement: number;
};

/** Steps of the exact count at the most; beyond, shuffles. */
const MOST_STEPS = 3_000_000;

/** Every order that equal items make look different, each once, with how often it comes up among all orders alike. */
function arrangements(items: readonly number[]): number[][] {
  const sorted = [...items].sort((a, b) => a - b);
  const all: number[][] = [];
  const taken = sorted.map(() => false);
  const place = (so: number[]) => {
    if (so.length === sorted.length) {
      all.push(so);
      return;
    }
    for (const [i, item] of sorted.entries()) {
      if (taken[i] || (i > 0 && sorted[i - 1] === item && !taken[i - 1])) continue;
      taken[i] = true;
      place([...so, item]);
      taken[i] = false;
    }
  };
  place([]);
  return all;
}

const sumOfSquares = (sums: readonly number[]): number => sums.reduce((sum, s) => sum + s * s, 0);

/** The exact chance of rank sums at least as uneven; null where that is too much to go through. */
function exactChance(blocks: readonly (readonly number[])[], observed: number): number | null {
  const k = blocks[0].length;
  if (k > 6) return null;
  // What is to come does not know one treatment from another: sums are kept in order of size alone.
  let states = new Map<string, { sums: number[]; chance: number }>([["", { sums: blocks[0].map(() => 0), chance: 1 }]]);
  let steps = 0;
  for (const block of blocks) {
    const ways = arrangements(block);
    steps += states.size * ways.length;
    if (steps > MOST_STEPS) return null;
    const next: typeof states = new Map();
    for (const { sums, chance } of states.values()) {
      for (const way of ways) {
        const reached = sums.map((sum, i) => sum + way[i]).sort((a, b) => a - b);
        const key = reached.join();
        const known = next.get(key);
        if (known) known.chance += chance / ways.length;
        else next.set(key, { sums: reached, chance: chance / ways.length });
      }
    }
    states = next;
  }
  let p = 0;
  for (const { sums, chance } of states.values()) if (sumOfSquares(sums) >= observed) p += chance;
  return p;
}

/**
 * Friedman's test (JASA 32, 1937) over blocks of values, one a treatment, with Kendall's W: do blocks agree on an order? The chance is
 * the exact one of all orders within the blocks, ties as they fell, or found by shuffles where that is too many. One block or more, two
 * treatments or more.
 */
export function friedman(values: readonly (readonly number[])[]): Friedman {
  const blocks = values.map(doubledRanks);
  const k = blocks[0].length;
  const b = blocks.length;
  const sums = blocks[0].map((_, t) => blocks.reduce((sum, block) => sum + block[t], 0));
  const observed = sumOfSquares(sums);
  // Doubled ranks: squares are four times as large.
  const spread = (observed - k * (b * (k + 1)) ** 2) / 4;
  const withinBlocks = blocks.reduce((sum, block) => sum + sumOfSquares(block), 0) / 4 - (b * k * (k + 1) ** 2) / 4;
  if (withinBlocks <= 0) return { statistic: 0, agreement: 0, ...exactly(1) };
  const statistic = ((k - 1) * spread) / withinBlocks;
  const exact = exactChance(blocks, observed);
  const chance =
    exact === null
      ? chanceByShuffling(observed, (random) => {
          const drawn = sums.map(() => 0);
          for (const block of blocks) {
            for (const [t, rank] of shuffleInPlace([...block], random).entries()) drawn[t] += rank;
          }
          return sumOfSquares(drawn);
        })
      : exactly(exact);
  return { statistic, agreement: statistic / (b * (k - 1)), ...chance };
}

/** Grades are told to a tenth. */
const GRADE_STEPS = 10;
/** All signs of so many differences are gone through one by one; of more, sums are counted. */
const MOST_ENUMERATED = 12;

/** The share of all signs that add whole numbers up to `least` or more, either way. Each sum follows from the last by one sign (Gray's code). */
function shareBySigns(steps: readonly number[], least: number): number {
  const signs = steps.map(() => 1);
  let sum = steps.reduce((total, d) => total + d, 0);
  const all = 2 ** steps.length;
  let reached = 0;
  for (let i = 1; i <= all; i++) {
    if (Math.abs(sum) >= least) reached++;
    const turned = 31 - Math.clz32(i & -i);
    if (turned >= steps.length) break;
    signs[turned] = -signs[turned];
    sum += 2 * signs[turned] * steps[turned];
  }
  return reached / all;
}

/** The same by how likely each sum is. */
function shareBySums(steps: readonly number[], least: number): number {
  const reach = steps.reduce((sum, d) => sum + d, 0);
  let chances = new Float64Array(2 * reach + 1);
  chances[reach] = 1;
  let within = 0;
  for (const d of steps) {
    const next = new Float64Array(chances.length);
    for (let at = reach - within; at <= reach + within; at++) {
      next[at + d] += chances[at] / 2;
      next[at - d] += chances[at] / 2;
    }
    chances = next;
    within += d;
  }
  let p = 0;
  for (const [at, chance] of chances.entries()) if (Math.abs(at - reach) >= least) p += chance;
  return Math.min(1, p);
}

/**
 * The exact two-sided sign-invert test of paired differences (Fisher 1935): how often they would add up to this much or more, either way,
 * if each could as well have had the other sign. Asks nothing of how they are spread. Differences in tenths.
 */
export function signFlipChance(differences: readonly number[]): number {
  const whole = differences.map((d) => Math.round(d * GRADE_STEPS));
  const steps = whole.map(Math.abs).filter((d) => d > 0);
  if (steps.length === 0) return 1;
  const observed = Math.abs(whole.reduce((sum, d) => sum + d, 0));
  return (steps.length <= MOST_ENUMERATED ? shareBySigns : shareBySums)(steps, observed);
}
