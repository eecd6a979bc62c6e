import { z } from "zod";
import { chanceOfAtLeast, fewestRight } from "./odds";

export const SIGNIFICANCE_LEVEL = 0.05;

export const FEWEST_TRIALS = 5;
export const MOST_TRIALS = 200;
export const MOST_TRAINING = 10;
/** Renders in one run: each has a key. */
export const MOST_STIMULI = 12;
export const FEWEST_ROUNDS = 1;
export const MOST_ROUNDS = 40;
/** Shorter limits end trials that nobody could have answered. */
export const SHORTEST_LIMIT_SECONDS = 5;
export const MOST_SERIES_RUNS = 10;

/** Whether the listener may move the loop during the run; where it lay at each answer is then kept. */
const loop = z.enum(["fixed", "free"]).default("fixed");

/** Runs that were stated beforehand to be judged together, by all their answers, once the last has ended. */
export const seriesSchema = z.object({
  id: z.string().min(1),
  runs: z.number().int().min(2).max(MOST_SERIES_RUNS),
  /** Which of them this is, from 1. */
  run: z.number().int().min(1),
});
export type Series = z.infer<typeof seriesSchema>;

const rightOrWrong = {
  trials: z.number().int().min(FEWEST_TRIALS).max(MOST_TRIALS),
  rightNeeded: z.number().int(),
  /** The smallest share of right answers that was said to be worth catching, and the chance that such a listener passes. */
  effect: z.number().min(0.5).max(1).nullable().default(null),
  power: z.number().min(0).max(1).nullable().default(null),
  /** Trials before the run whose answers are reported and not counted. */
  training: z.number().int().min(0).max(MOST_TRAINING).default(0),
  /** A trial without an answer by then counts as not right. */
  secondsPerTrial: z.number().min(SHORTEST_LIMIT_SECONDS).nullable().default(null),
  series: seriesSchema.nullable().default(null),
  loop,
};

const rounds = z.number().int().min(FEWEST_ROUNDS).max(MOST_ROUNDS);

export const SCALES = ["0 to 100", "five steps", "impairment"] as const;
export type Scale = (typeof SCALES)[number];

/** What is fixed before the first trial. */
export const planSchema = z.discriminatedUnion("kind", [
  /** Which of two is X? */
  z.object({ kind: z.literal("abx"), ...rightOrWrong }),
  /** Are two intervals the same, or not? */
  z.object({ kind: z.literal("same-different"), ...rightOrWrong }),
  /** All at once, shuffled anew each round: which is best? */
  z.object({ kind: z.literal("favourite"), rounds, ties: z.boolean(), loop }),
  /** Two at a time, every pair once a round: which is better? */
  z.object({ kind: z.literal("pairs"), rounds, ties: z.boolean(), loop }),
  /** All on one screen, each graded. */
  z.object({ kind: z.literal("rating"), rounds, scale: z.enum(SCALES), loop }),
]);
export type Plan = z.infer<typeof planSchema>;
export type RunKind = Plan["kind"];
export type RightOrWrongPlan = Extract<Plan, { kind: "abx" | "same-different" }>;
export type ChoicePlan = Extract<Plan, { kind: "favourite" | "pairs" }>;
export type RatingPlan = Extract<Plan, { kind: "rating" }>;

export const isRightOrWrong = (plan: Plan): plan is RightOrWrongPlan =>
  plan.kind === "abx" || plan.kind === "same-different";

type RightOrWrongDraft = { kind: RightOrWrongPlan["kind"]; trials: number } & Partial<
  Pick<RightOrWrongPlan, "training" | "secondsPerTrial" | "series" | "loop" | "effect">
>;

/**
 * The plan for a number of trials: how many must be right so that a listener who guesses gets there in at most 5 % of runs, and how likely a listener of
 * the effect asked for is to. RangeError where not even all right would do.
 */
export function planRightOrWrong(draft: RightOrWrongDraft): RightOrWrongPlan {
  const rightNeeded = fewestRight(draft.trials, SIGNIFICANCE_LEVEL);
  if (rightNeeded === null) throw new RangeError(`${draft.trials} trials can prove nothing at 5 %`);
  const power = draft.effect ? chanceOfAtLeast(rightNeeded, draft.trials, draft.effect) : null;
  return planSchema.parse({ ...draft, rightNeeded, power }) as RightOrWrongPlan;
}

/** What is judged at once: a run by itself, or the runs of a series together. */
export type Test = { trials: number; rightNeeded: number };

/** The test that a plan is, or is a part of. */
export function testOf({ trials, rightNeeded, series }: RightOrWrongPlan): Test {
  if (!series) return { trials, rightNeeded };
  const all = series.runs * trials;
  return { trials: all, rightNeeded: fewestRight(all, SIGNIFICANCE_LEVEL) ?? all };
}

/** The tests that plans are of, in their order: the runs of one series are one. */
export const testsOf = (plans: readonly RightOrWrongPlan[]): Test[] =>
  plans.filter(({ series }, i) => !series || plans.findIndex((p) => p.series?.id === series.id) === i).map(testOf);

/** Meetings of two in one round of pairs. */
export const pairCount = (stimuli: number): number => (stimuli * (stimuli - 1)) / 2;

/** Trials of a plan over so many stimuli. */
export function trialCount(plan: Plan, stimuli: number): number {
  if (isRightOrWrong(plan)) return plan.trials;
  return plan.kind === "pairs" ? plan.rounds * pairCount(stimuli) : plan.rounds;
}

export const SCALE_RANGE: Record<Scale, { low: number; high: number; step: number }> = {
  "0 to 100": { low: 0, high: 100, step: 1 },
  "five steps": { low: 1, high: 5, step: 1 },
  impairment: { low: 1, high: 5, step: 0.1 },
};

/** Words at the grades of a scale: of quality (ITU-R BS.1534-3), and of impairment (ITU-R BS.1284). */
export const GRADE_WORDS: Record<Scale, readonly string[]> = {
  "0 to 100": ["bad", "poor", "fair", "good", "excellent"],
  "five steps": ["bad", "poor", "fair", "good", "excellent"],
  impairment: ["very annoying", "annoying", "slightly annoying", "perceptible, but not annoying", "imperceptible"],
};
