import { MOST_ROUNDS } from "../blind/plan";
import { percentWords, plural } from "./units";

/** What a plan can show, before its first trial. */
export const PLAN_WORDS = {
  passMark: (right: number, trials: number) => `Pass mark: ${right} of ${trials}`,
  guessing: (chance: number) => `Guessing reaches it in ${percentWords(chance, 1)} of runs.`,
  series: (runs: number) => `Scored as one series of ${runs} runs.`,
  tooFewTrials: (fewest: number, most: number) =>
    `Choose ${fewest} to ${most} trials: with fewer, even a perfect score proves nothing at the 5\u2009% level.`,
  pairings: (pairings: number, stimuli: number, rounds: number) =>
    `${pairings} pairings: every pair of ${stimuli} renders once in each of ${plural(rounds, "round")}.`,
  noFavourite: (rounds: number, stimuli: number) =>
    `${plural(rounds, "round")} over ${stimuli} renders cannot show a preference at the 5\u2009% level, even if one gets every pick.`,
  picks: (picks: number, rounds: number) => `Pass mark: ${picks} of ${rounds} picks for one render`,
  picksChance: `Without a preference, no render reaches it in ${percentWords(0.95)} of runs.`,
  separation: (wins: number, pairs: number, rounds: number) =>
    `To separate two renders, one must win ${wins} times and lose none (${plural(pairs, "pair")}, corrected).${wins > rounds ? ` ${plural(rounds, "round")} cannot show that.` : ""}`,
  gradingRounds: (needed: number, stimuli: number, pairs: number) =>
    `At least ${plural(needed, "round")} to separate two of ${stimuli} renders (${plural(pairs, "pair")}, corrected), by one listener or several.`,
  oneRound: "One round gives no repeatability.",
  repeatability: (rounds: number, isEnough: boolean) =>
    `${rounds} rounds show how well your grades repeat${isEnough ? "." : ", and a ranking, but separate no two renders."}`,
  beyond: (most: number) => `more than ${most}: plan a series of runs`,
  rounds: (fewest: number) => `Choose ${fewest} to ${MOST_ROUNDS} rounds.`,
} as const;
