import tQuantile from "@stdlib/stats-base-dists-t-quantile";
import type { Trial } from "./answer";
import type { Order } from "./order";
import { corrected, everyPair, type PairTest } from "./paired";
import { SCALE_RANGE, type Scale } from "./plan";
import { type Friedman, friedman, signFlipChance } from "./ranks";

/** The grades of one round, by stimulus. */
export type Round = { listener: string; grades: readonly number[] };

export const roundsOf = (order: Order, trials: readonly Trial[], listener = ""): Round[] =>
  trials.flatMap(({ answer }, i) =>
    "grades" in answer
      ? [{ listener, grades: order[i].map((_, stimulus) => answer.grades[order[i].indexOf(stimulus)]) }]
      : [],
  );

export type GradeFigures = {
  mean: number;
  median: number;
  /** 95 % interval of the mean after Student, over the pooled scatter of all stimuli; null from a single round. */
  low: number | null;
  high: number | null;
};

export type Grading = {
  rounds: number;
  listeners: number;
  figures: GradeFigures[];
  /** Whether rounds agree on an order; null where there is but one round, or one stimulus. */
  friedman: Friedman | null;
  pairs: PairTest[];
  /** Standard deviation of one listener's grades of one thing from round to round; null where none graded twice. */
  repeatability: number | null;
};

const meanOf = (values: readonly number[]): number => values.reduce((sum, v) => sum + v, 0) / values.length;

function medianOf(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}

const squaresAbout = (values: readonly number[], mean: number): number =>
  values.reduce((sum, v) => sum + (v - mean) * (v - mean), 0);

const CONFIDENCE = 0.95;

/**
 * Mean and median of the grades of each stimulus; the interval from the scatter of all about their means, pooled, so that two grades that
 * happen to be equal are not reported as certain.
 */
function figuresOf(rounds: readonly Round[], stimuli: number): GradeFigures[] {
  const columns = Array.from({ length: stimuli }, (_, s) => rounds.map((r) => r.grades[s]));
  const degrees = stimuli * (rounds.length - 1);
  const squares = columns.reduce((sum, grades) => sum + squaresAbout(grades, meanOf(grades)), 0);
  const reach =
    degrees > 0 ? tQuantile((1 + CONFIDENCE) / 2, degrees) * Math.sqrt(squares / degrees / rounds.length) : null;
  return columns.map((grades) => {
    const mean = meanOf(grades);
    const [low, high] = reach === null ? [null, null] : [mean - reach, mean + reach];
    return { mean, median: medianOf(grades), low, high };
  });
}

/** Pooled over listeners and stimuli, each about its own mean. */
function repeatabilityOf(rounds: readonly Round[], stimuli: number): number | null {
  let squares = 0;
  let degrees = 0;
  for (const listener of new Set(rounds.map((r) => r.listener))) {
    const own = rounds.filter((r) => r.listener === listener);
    for (let s = 0; s < stimuli; s++) {
      const grades = own.map((r) => r.grades[s]);
      squares += squaresAbout(grades, meanOf(grades));
      degrees += grades.length - 1;
    }
  }
  return degrees > 0 ? Math.sqrt(squares / degrees) : null;
}

/** Every two held against each other, round by round, corrected for all of them. */
export function pairTests(rounds: readonly Pick<Round, "grades">[], stimuli: number): PairTest[] {
  return corrected(
    everyPair(stimuli).map(([a, b]) => {
      const differences = rounds.map(({ grades }) => grades[a] - grades[b]);
      const lead = differences.reduce((sum, d) => sum + d, 0);
      return { a, b, p: signFlipChance(differences), leads: lead > 0 ? "a" : lead < 0 ? "b" : null };
    }),
  );
}

/** What rounds of grades say, of one listener or of several. Every round counts alike. Null where there is no round. */
export function gradingOf(rounds: readonly Round[], stimuli: number): Grading | null {
  if (rounds.length === 0) return null;
  return {
    rounds: rounds.length,
    listeners: new Set(rounds.map((r) => r.listener)).size,
    figures: figuresOf(rounds, stimuli),
    friedman: stimuli > 1 && rounds.length > 1 ? friedman(rounds.map((r) => r.grades)) : null,
    pairs: pairTests(rounds, stimuli),
    repeatability: repeatabilityOf(rounds, stimuli),
  };
}

/** Rounds, of all listeners together, without which the corrected test of pairs cannot tell any apart: 2^(1 − rounds) has to be small enough. */
export function roundsToSeparate(stimuli: number, alpha: number): number {
  const pairs = everyPair(stimuli).length;
  let rounds = 1;
  while (2 ** (1 - rounds) * pairs > alpha) rounds++;
  return rounds;
}

/** ITU-R BS.1534-3, post-screening (memory): a hidden reference under 90 in more than 15 % of the items, or an anchor over 90. */
const SCREEN_SHARE = 0.9;
const SCREEN_ITEMS = 0.15;

export type Screening = { under: number; over: number; rounds: number; told: boolean };

/**
 * Whether a listener graded the hidden reference low, or the anchor high, too often: under (over) 90 % of the scale in more than 15 % of
 * the rounds. Such a listener is reported of, and stays in. `reference`, `anchor`: their stimuli; null where there is none.
 */
export function screeningOf(
  rounds: readonly Round[],
  scale: Scale,
  reference: number | null,
  anchor: number | null,
): Screening {
  const { low, high } = SCALE_RANGE[scale];
  const line = low + SCREEN_SHARE * (high - low);
  const under = reference === null ? 0 : rounds.filter(({ grades }) => grades[reference] < line).length;
  const over = anchor === null ? 0 : rounds.filter(({ grades }) => grades[anchor] > line).length;
  const many = (n: number) => n > SCREEN_ITEMS * rounds.length;
  return { under, over, rounds: rounds.length, told: many(under) || many(over) };
}
