import { log10, pow } from "../audio/exact-math";
import type { AbxPlan, AbxResult } from "./abx";
import { chanceOfAny, INTERVAL_CONFIDENCE } from "./odds";

/** A probability for people: "1 in 9", "1 in 26 000"; as a share where one in n would mislead. */
export function oddsInWords(probability: number): string {
  if (probability >= 0.2) return `${Math.round(probability * 100)} in 100`;
  const n = 1 / probability;
  // No score of a planned run has a chance of nought: this stands for one too small for a number.
  if (!Number.isFinite(n)) return "less than 1 in 10³⁰⁰";
  const digits = Math.max(0, Math.floor(log10(n)) - 1);
  const rounded = Math.round(n / pow(10, digits)) * pow(10, digits);
  return `1 in ${new Intl.NumberFormat("en", { useGrouping: true }).format(rounded).replaceAll(",", " ")}`;
}

/** "The third run of this pair: …" for every run but the first; null for that. */
export function repetitionSentence(runNumber: number, chances: readonly number[]): string | null {
  if (runNumber < 2) return null;
  const words = ["second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];
  const which = words[runNumber - 2] ?? `${runNumber}th`;
  const some = percentOf(chanceOfAny(chances));
  return `This was the ${which} run of this pair: guessers pass at least one of ${runNumber} such runs in ${some} of 100 cases.`;
}

const percentOf = (share: number): string => {
  const hundredth = 100 * share;
  return hundredth < 10 ? hundredth.toFixed(1) : String(Math.round(hundredth));
};

/** p to four decimals, or as a bound below that. */
export function probabilityText(probability: number): string {
  return probability < 0.0001 ? "p < 0.0001" : `p = ${probability.toFixed(4)}`;
}

const percent = (share: number): string => `${Math.round(share * 100)} %`;

/** The verdict in plain words: first the answer, then what it rests on. */
export function abxVerdict(plan: AbxPlan, result: AbxResult): { headline: string; detail: string } {
  const score = `${result.right} of ${result.answered} right`;
  const odds = `Someone who only guesses gets that or better ${oddsInWords(result.guessing)} times`;
  if (result.outcome === "left early") {
    return {
      headline: "The run was left early, so it decides nothing.",
      detail:
        `${score}; ${plan.trials} trials were planned. A run that may stop whenever it goes well proves nothing; ` +
        "plan a new one and take it to its end.",
    };
  }
  const range = `The true share of right answers lies between ${percent(result.abilityLow)} and ${percent(result.abilityHigh)} (${Math.round(100 * INTERVAL_CONFIDENCE)} % interval).`;
  if (result.outcome === "heard") {
    return {
      headline: "You heard a difference.",
      detail: `${score}; the plan asked for ${plan.rightNeeded}. ${odds} (${probabilityText(result.guessing)}). ${range}`,
    };
  }
  return {
    headline: "No difference was shown.",
    detail:
      `${score}; the plan asked for ${plan.rightNeeded}. ${odds} (${probabilityText(result.guessing)}). ${range} ` +
      "That is not proof that there is none: only that this run did not show one.",
  };
}
