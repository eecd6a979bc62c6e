import { z } from "zod";
import type { Trial } from "./answer";
import { choicesOf, tallyFavourites, tallyPairs } from "./favourite";
import { abilityInterval, abxShare, dPrime, guessingProbability, sameDifferentShare } from "./odds";
import type { Order } from "./order";
import { isRightOrWrong, type Plan, type RightOrWrongPlan, SIGNIFICANCE_LEVEL, testOf, trialCount } from "./plan";
import { gradingOf, roundsOf, screeningOf } from "./rating";

const chanceSchema = z.object({ p: z.number(), error: z.number() });

const pairTestSchema = z.object({
  a: z.number().int(),
  b: z.number().int(),
  p: z.number(),
  corrected: z.number(),
  ahead: z.enum(["a", "b"]).nullable(),
});

const rightOrWrongResultSchema = z.object({
  kind: z.literal("right or wrong"),
  /** "part": of runs that are judged together, and nothing by itself. */
  outcome: z.enum(["heard", "not shown", "left early", "part"]),
  answered: z.number().int(),
  right: z.number().int(),
  /** Trials whose time was up; they count as not right. */
  missed: z.number().int(),
  /** Probability of this score or better by guessing. */
  guessing: z.number(),
  abilityLow: z.number(),
  abilityHigh: z.number(),
  dPrime: z.number().nullable(),
});
export type RightOrWrongResult = z.infer<typeof rightOrWrongResultSchema>;

export const tallySchema = z.object({
  rounds: z.number().int(),
  picks: z.array(z.number()),
  ties: z.number().int(),
  chance: chanceSchema,
  pairs: z.array(pairTestSchema),
  worths: z.array(z.number()).nullable(),
});

const choicesResultSchema = z.object({
  kind: z.literal("choices"),
  outcome: z.enum(["ahead", "not shown", "left early"]),
  tally: tallySchema,
});

export const gradingSchema = z.object({
  rounds: z.number().int(),
  listeners: z.number().int(),
  figures: z.array(
    z.object({ mean: z.number(), median: z.number(), low: z.number().nullable(), high: z.number().nullable() }),
  ),
  friedman: chanceSchema.extend({ statistic: z.number(), agreement: z.number() }).nullable(),
  pairs: z.array(pairTestSchema),
  repeatability: z.number().nullable(),
});

export const screeningSchema = z.object({
  under: z.number().int(),
  over: z.number().int(),
  rounds: z.number().int(),
  told: z.boolean(),
});

const gradesResultSchema = z.object({
  kind: z.literal("grades"),
  outcome: z.enum(["ahead", "not shown", "left early"]),
  /** Null where no round was graded. */
  grading: gradingSchema.nullable(),
  screening: screeningSchema,
});

export const resultSchema = z.discriminatedUnion("kind", [
  rightOrWrongResultSchema,
  choicesResultSchema,
  gradesResultSchema,
]);
export type RunResult = z.infer<typeof resultSchema>;

export const ROLES = ["candidate", "reference", "anchor"] as const;
export type Role = (typeof ROLES)[number];

/** Whether the answer to a trial with these seats is right. */
export function isRight(plan: RightOrWrongPlan, seats: readonly number[], { answer }: Trial): boolean {
  if ("side" in answer) return plan.kind === "abx" && seats[1] === (answer.side === "A" ? 0 : 1);
  if ("said" in answer)
    return plan.kind === "same-different" && (seats[0] === seats[1] ? "same" : "different") === answer.said;
  return false;
}

/** A score of right answers against a plan of so many trials. */
export function rightOrWrongResult(
  kind: RightOrWrongPlan["kind"],
  score: { right: number; answered: number; missed: number },
  planned: { trials: number; rightNeeded: number },
): RightOrWrongResult {
  const { right, answered } = score;
  const interval = answered ? abilityInterval(right, answered) : { low: 0, high: 1 };
  return {
    kind: "right or wrong",
    outcome: answered < planned.trials ? "left early" : right >= planned.rightNeeded ? "heard" : "not shown",
    ...score,
    guessing: guessingProbability(right, answered),
    abilityLow: interval.low,
    abilityHigh: interval.high,
    dPrime: answered ? dPrime(right / answered, kind === "abx" ? abxShare : sameDifferentShare) : 0,
  };
}

/** What the runs of a series come to together, against the test they are parts of. */
export function seriesResult(plan: RightOrWrongPlan, results: readonly RightOrWrongResult[]): RightOrWrongResult {
  const total = (of: (r: RightOrWrongResult) => number) => results.reduce((sum, r) => sum + of(r), 0);
  const score = { right: total((r) => r.right), answered: total((r) => r.answered), missed: total((r) => r.missed) };
  return rightOrWrongResult(plan.kind, score, testOf(plan));
}

const isMissed = ({ answer }: Trial): boolean => "missed" in answer;

/**
 * Scores a finished or abandoned run over stimuli of these roles. A run that ends before its last trial decides nothing either way: where it
 * stopped may have been chosen by how it went.
 */
export function scoreRun(plan: Plan, roles: readonly Role[], order: Order, trials: readonly Trial[]): RunResult {
  if (isRightOrWrong(plan)) {
    const right = trials.filter((trial, i) => isRight(plan, order[i], trial)).length;
    const score = { right, answered: trials.length, missed: trials.filter(isMissed).length };
    const result = rightOrWrongResult(plan.kind, score, plan);
    return plan.series && result.outcome !== "left early" ? { ...result, outcome: "part" } : result;
  }
  const leftEarly = trials.length < trialCount(plan, roles.length);
  if (plan.kind === "rating") {
    const rounds = roundsOf(order, trials);
    const grading = gradingOf(rounds, roles.length);
    const placeOf = (role: Role) => (roles.includes(role) ? roles.indexOf(role) : null);
    return {
      kind: "grades",
      outcome: leftEarly ? "left early" : grading?.pairs.some((pair) => pair.ahead) ? "ahead" : "not shown",
      grading,
      screening: screeningOf(rounds, plan.scale, placeOf("reference"), placeOf("anchor")),
    };
  }
  const choices = choicesOf(order, trials);
  const tally = (plan.kind === "pairs" ? tallyPairs : tallyFavourites)(choices, roles.length);
  return {
    kind: "choices",
    outcome: leftEarly ? "left early" : tally.chance.p <= SIGNIFICANCE_LEVEL ? "ahead" : "not shown",
    tally,
  };
}
