import type { Trial } from "./answer";
import { evenOdds } from "./multinomial";
import type { Order } from "./order";
import { corrected, everyPair, type PairTest, splitChance } from "./paired";
import { type ChanceFigure, chanceByShuffling, shuffleInPlace } from "./permutation";

/** What was picked in one trial, as stimuli: of those that were there, those called best. */
export type Choice = { offered: readonly number[]; picked: readonly number[] };

/** The picks of answered trials, seats turned back into stimuli. */
export const choicesOf = (order: Order, trials: readonly Trial[]): Choice[] =>
  trials.flatMap(({ answer }, i) =>
    "picked" in answer ? [{ offered: order[i], picked: answer.picked.map((seat) => order[i][seat]) }] : [],
  );

export type Tally = {
  rounds: number;
  /** How often each was called best; in a tie each of those counts. */
  picks: number[];
  /** Rounds in which more than one was. */
  ties: number;
  chance: ChanceFigure;
  pairs: PairTest[];
  /** Bradley and Terry's share of liking for each, adding up to 1; only where two were offered at a time. */
  worths: number[] | null;
};

const sum = (values: readonly number[]): number => values.reduce((total, v) => total + v, 0);

/**
 * Chance of counts so uneven or more if in each round as many as were picked had been picked blindly: Cochran's Q (Biometrika 37, 1950) by
 * shuffles.
 */
function tiedChance(choices: readonly Choice[], picks: readonly number[]): ChanceFigure {
  const spread = (counts: readonly number[]) => counts.reduce((total, n) => total + n * n, 0);
  return chanceByShuffling(spread(picks), (random) => {
    const drawn = picks.map(() => 0);
    for (const { offered, picked } of choices) {
      for (const stimulus of shuffleInPlace([...offered], random).slice(0, picked.length)) drawn[stimulus]++;
    }
    return spread(drawn);
  });
}

function picksOf(choices: readonly Choice[], stimuli: number): number[] {
  const picks = new Array<number>(stimuli).fill(0);
  for (const { picked } of choices) for (const stimulus of picked) picks[stimulus]++;
  return picks;
}

/** Two compared by the trials that offered both and called exactly one of them best. */
function pairTests(choices: readonly Choice[], stimuli: number): PairTest[] {
  return corrected(
    everyPair(stimuli).map(([a, b]) => {
      const both = choices.filter(({ offered }) => offered.includes(a) && offered.includes(b));
      const only = (one: number, other: number) =>
        both.filter(({ picked }) => picked.includes(one) && !picked.includes(other)).length;
      const [forA, forB] = [only(a, b), only(b, a)];
      return { a, b, p: splitChance(forA, forB), leads: forA > forB ? "a" : forB > forA ? "b" : null };
    }),
  );
}

/** All shuffled on one screen, the best picked. */
export function tallyFavourites(choices: readonly Choice[], stimuli: number): Tally {
  const picks = picksOf(choices, stimuli);
  const ties = choices.filter(({ picked }) => picked.length > 1).length;
  return {
    rounds: choices.length,
    picks,
    ties,
    chance: ties > 0 ? tiedChance(choices, picks) : evenOdds(picks),
    pairs: pairTests(choices, stimuli),
    worths: null,
  };
}

const ROUNDS_OF_FIT = 10_000;
const FIT_SETTLED = 1e-12;

/**
 * Bradley and Terry's worths from wins[i][j], how often i was preferred to j, by Hunter's MM steps (Annals of Statistics 32, 2004). Half a
 * win is added both ways, so that one who always wins has a finite worth.
 */
export function bradleyTerry(wins: readonly (readonly number[])[]): number[] {
  const n = wins.length;
  const padded = wins.map((row, i) => row.map((w, j) => (i === j ? 0 : w + 0.5)));
  let worths = new Array<number>(n).fill(1 / n);
  for (let round = 0; round < ROUNDS_OF_FIT; round++) {
    const next = worths.map((worth, i) => {
      const meetings = worths.map((other, j) => (i === j ? 0 : (padded[i][j] + padded[j][i]) / (worth + other)));
      return sum(padded[i]) / sum(meetings);
    });
    const total = sum(next);
    const settled = next.every((w, i) => Math.abs(w / total - worths[i]) < FIT_SETTLED);
    worths = next.map((w) => w / total);
    if (settled) break;
  }
  return worths;
}

/** Two at a time. A tie counts half for each in the worths, and nothing in the tests. */
export function tallyPairs(choices: readonly Choice[], stimuli: number): Tally {
  const wins = Array.from({ length: stimuli }, () => new Array<number>(stimuli).fill(0));
  for (const { offered, picked } of choices) {
    const [one, other] = offered;
    if (picked.length > 1) {
      wins[one][other] += 0.5;
      wins[other][one] += 0.5;
    } else wins[picked[0]][picked[0] === one ? other : one]++;
  }
  const decided = choices.filter(({ picked }) => picked.length === 1);
  const picks = picksOf(decided, stimuli);
  const spread = (counts: readonly number[]) => counts.reduce((total, n) => total + n * n, 0);
  return {
    rounds: choices.length,
    picks,
    ties: choices.length - decided.length,
    // Every meeting a fair coin: are wins as uneven as these? (David, The Method of Paired Comparisons, 1988, by shuffles.)
    chance: chanceByShuffling(spread(picks), (random) => {
      const drawn = picks.map(() => 0);
      for (const { offered } of decided) drawn[offered[random() < 0.5 ? 0 : 1]]++;
      return spread(drawn);
    }),
    pairs: pairTests(choices, stimuli),
    worths: bradleyTerry(wins),
  };
}
