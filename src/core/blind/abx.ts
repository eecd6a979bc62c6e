import { z } from "zod";
import { abilityInterval, dPrime, fewestRight, guessingProbability } from "./odds";

/** One side of an ABX trial. A is Here and B is Yonder, always. */
export const abxSideSchema = z.enum(["A", "B"]);
export type AbxSide = z.infer<typeof abxSideSchema>;

export const FEWEST_TRIALS = 5;
export const MOST_TRIALS = 200;
export const SIGNIFICANCE_LEVEL = 0.05;

/** What is fixed before the first trial. */
export const abxPlanSchema = z.object({
  kind: z.literal("abx"),
  trials: z.number().int().min(FEWEST_TRIALS).max(MOST_TRIALS),
  rightNeeded: z.number().int(),
});
export type AbxPlan = z.infer<typeof abxPlanSchema>;

/** The plan for a number of trials: how many must be right so that a guesser gets there in at most 5 % of runs. */
export function planAbx(trials: number): AbxPlan {
  const rightNeeded = fewestRight(trials, SIGNIFICANCE_LEVEL);
  if (rightNeeded === null) throw new RangeError(`${trials} trials can prove nothing at 5 %`);
  return abxPlanSchema.parse({ kind: "abx", trials, rightNeeded });
}

/** What the hidden order and its digest are made of, as text that anyone can hash again with SHA-256. */
export function sealText(runId: string, saltHex: string, order: readonly AbxSide[]): string {
  return ["yonder-pair/seal@1", runId, saltHex, order.join("")].join("\n");
}

/** One side a trial from the lowest bit of one random byte each: independent and even when the bytes are. */
export function orderFromBytes(bytes: Uint8Array): AbxSide[] {
  return Array.from(bytes, (byte) => (byte & 1 ? "B" : "A"));
}

export const abxResultSchema = z.object({
  answered: z.number().int(),
  right: z.number().int(),
  /** Probability of this score or better by guessing. */
  guessing: z.number(),
  abilityLow: z.number(),
  abilityHigh: z.number(),
  dPrime: z.number().nullable(),
  outcome: z.enum(["heard", "not shown", "left early"]),
});
export type AbxResult = z.infer<typeof abxResultSchema>;

/**
 * Scores a finished or abandoned run. A run that ends before its last trial proves nothing either way: where it stopped
 * may have been chosen by how it went.
 */
export function scoreAbx(plan: AbxPlan, order: readonly AbxSide[], answers: readonly AbxSide[]): AbxResult {
  const right = answers.filter((answer, i) => answer === order[i]).length;
  const interval = answers.length ? abilityInterval(right, answers.length) : { low: 0, high: 1 };
  return {
    answered: answers.length,
    right,
    guessing: guessingProbability(right, answers.length),
    abilityLow: interval.low,
    abilityHigh: interval.high,
    dPrime: answers.length ? dPrime(right / answers.length) : 0,
    outcome: answers.length < plan.trials ? "left early" : right >= plan.rightNeeded ? "heard" : "not shown",
  };
}
