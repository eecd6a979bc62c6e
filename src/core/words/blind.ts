import { log10, pow } from "../audio/exact-math";
import type { Tally } from "../blind/favourite";
import type { Flaw } from "../blind/flaws";
import { byMost, leaderOf } from "../blind/lead";
import { chanceOfAny, guessingProbability, INTERVAL_CONFIDENCE } from "../blind/odds";
import { everyPair, type PairTest } from "../blind/paired";
import type { ChanceFigure } from "../blind/permutation";
import {
  type ChoicePlan,
  type Plan,
  type RightOrWrongPlan,
  SIGNIFICANCE_LEVEL,
  type Test,
  testOf,
  trialCount,
} from "../blind/plan";
import type { PooledScore } from "../blind/pooled";
import { type Grading, roundsToSeparate, type Screening } from "../blind/rating";
import { type RightOrWrongResult, type RunResult, seriesResult } from "../blind/result";
import type { Listener, ShareAbove } from "../blind/run";
import { kilohertz, listed, number, percentWords, plural, withUnit } from "./units";

/** The result of a run in words: what it shows, then what that rests on. */
export type Verdict = { headline: string; detail: string };

/** A result whose claim has no full stop yet, for a run's flaws may follow it. */
type Outcome = { claim: string; detail: string };

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

/** Of a test repeated on one pair: how often guessing passes at least one of all so far; null for the first. `tests`: oldest first. */
export function repetitionSentence(tests: readonly Test[]): string | null {
  const count = tests.length;
  if (count < 2) return null;
  const chance = chanceOfAny(tests.map(({ rightNeeded, trials }) => guessingProbability(rightNeeded, trials)));
  return `Run ${count} of this pair. By guessing, at least one of ${count} such runs passes in ${percentWords(chance, chance < 0.1 ? 1 : 0)} of cases.`;
}

/** p to four decimals, or as a bound below that; with its error where it was found by shuffles. */
export function probabilityText(probability: number, error = 0): string {
  if (probability < 0.0001) return "p < 0.0001";
  return error > 0 ? `p = ${probability.toFixed(4)} ± ${error.toFixed(4)}` : `p = ${probability.toFixed(4)}`;
}

const chanceText = ({ p, error }: ChanceFigure): string => probabilityText(p, error);

const leftEarly = (done: string, planned: string): Outcome => ({
  claim: "Left early: nothing is decided",
  detail: `${done}; ${planned} were planned. A run that stops when it goes well proves nothing. Plan a new one and finish it.`,
});

const NO_PROOF_OF_NONE = "This does not prove that there is none.";

/** The outcome of right and wrong answers. */
function scoreOutcome(plan: Test, result: RightOrWrongResult): Outcome {
  const score = `${result.right} of ${result.answered} correct`;
  if (result.outcome === "left early") return leftEarly(score, plural(plan.trials, "trial"));
  const odds = `By guessing: ${oddsInWords(result.guessing)} (${probabilityText(result.guessing)}).`;
  const [low, high] = [result.abilityLow, result.abilityHigh].map((share) => number(100 * share, 0));
  const range = `${percentWords(INTERVAL_CONFIDENCE)} confidence interval for correct answers: ${low} to ${withUnit(high, "%")}.`;
  const late = result.missed > 0 ? ` ${plural(result.missed, "trial")} timed out and count as not correct.` : "";
  const facts = `${score}; pass mark ${plan.rightNeeded}. ${odds} ${range}${late}`;
  return result.outcome === "heard"
    ? { claim: "A difference was shown", detail: facts }
    : { claim: "No difference was shown", detail: `${facts} ${NO_PROOF_OF_NONE}` };
}

/** The runs of a series, declared beforehand to be scored as one. */
export function seriesVerdict(
  plan: RightOrWrongPlan,
  results: readonly RightOrWrongResult[],
  flaws: readonly Flaw[] = [],
): Verdict {
  const result = seriesResult(plan, results);
  const { claim, detail } = scoreOutcome(testOf(plan), result);
  const all = `Series of ${plural(plan.series?.runs ?? 1, "run")}, declared beforehand. ${detail}`;
  return withFlaws({ claim, detail: all }, result.outcome === "heard" ? flaws : []);
}

/** One run of a series: it decides nothing by itself. */
const partOutcome = ({ series, trials }: RightOrWrongPlan, { right, answered }: RightOrWrongResult): Outcome => ({
  claim: "This run decides nothing by itself",
  detail: `${right} of ${answered} correct, of ${plural(trials, "trial")} planned. Run ${series?.run} of ${series?.runs} in a series declared beforehand.`,
});

type Compared = { names: readonly string[]; pairs: readonly PairTest[] };

const winners = (pairs: readonly PairTest[], stimulus: number): number[] =>
  pairs.flatMap(({ a, b, ahead }) =>
    ahead === "a" && a === stimulus ? [b] : ahead === "b" && b === stimulus ? [a] : [],
  );

/** Which pairs the data separate: "C is ahead of A and D; no significant preference between B and C". `order`: best first. */
export function separationWords({ names, pairs }: Compared, order: readonly number[]): string {
  if (pairs.every(({ ahead }) => ahead === null)) {
    return `No significant preference between ${names.length === 2 ? listed(names) : "any two"}`;
  }
  const ahead = order.flatMap((s) => {
    const beaten = winners(pairs, s);
    return beaten.length > 0
      ? [`${names[s]} is ahead of ${listed(order.filter((o) => beaten.includes(o)).map((o) => names[o]))}`]
      : [];
  });
  const apart = new Set(pairs.filter((p) => p.ahead).map(({ a, b }) => `${a} ${b}`));
  const open = everyPair(names.length).filter(([a, b]) => !apart.has(`${a} ${b}`));
  if (open.length === 0) return `${ahead.join("; ")}; every pair differs significantly`;
  const leader = order[0];
  const withLeader = open.filter((pair) => pair.includes(leader)).map(([a, b]) => (a === leader ? b : a));
  const between =
    withLeader.length > 0
      ? listed([leader, ...withLeader].map((s) => names[s]))
      : open.length === 1
        ? listed(open[0].map((s) => names[s]))
        : plural(open.length, "other pair");
  return `${ahead.join("; ")}; no significant preference ${withLeader.length === 0 && open.length > 1 ? "in" : "between"} ${between}`;
}

/** Favourite rounds, or two at a time. */
function tallyOutcome(plan: Pick<ChoicePlan, "kind">, tally: Tally, names: readonly string[]): Outcome {
  if (tally.rounds === 0)
    return { claim: "Nothing was picked: nothing is decided", detail: "There is no answer to count." };
  const order = byMost(tally.worths ?? tally.picks);
  const [first] = order;
  const top = tally.picks[first];
  const equals = order.filter((s) => tally.picks[s] === top);
  const unit = plan.kind === "pairs" ? "pairing" : "round";
  const odds = `Without any preference, picks this uneven occur ${oddsInWords(tally.chance.p)} times (${chanceText(tally.chance)}).`;
  const ties = tally.ties > 0 ? ` Ties: ${tally.ties} of ${plural(tally.rounds, unit)}.` : "";
  const count = order.map((s) => `${names[s]} ${tally.picks[s]}`).join(", ");
  const pairs = separationWords({ names, pairs: tally.pairs }, order);
  const detail = `Picks in ${plural(tally.rounds, unit)}: ${count}.${ties} ${odds} ${pairs}.`;
  if (top === 0) return { claim: `Every ${unit} was a tie: no preference was shown`, detail };
  if (equals.length === names.length)
    return { claim: "All were picked equally often: no preference was shown", detail };
  if (tally.chance.p > SIGNIFICANCE_LEVEL)
    return { claim: "No preference was shown", detail: `${detail} ${NO_PROOF_OF_NONE}` };
  if (equals.length > 1)
    return { claim: `Preferences differ: ${listed(equals.map((s) => names[s]))} were picked most often`, detail };
  return leaderOf(tally) === first
    ? { claim: `A preference for ${names[first]} was shown`, detail }
    : {
        claim: `Preferences differ: ${names[first]} was picked most often`,
        detail: `${detail} It is not significantly ahead of each of the others.`,
      };
}

/** `flaws`: of the runs, where a preference is shown. */
export const tallyVerdict = (
  plan: Pick<ChoicePlan, "kind">,
  tally: Tally,
  names: readonly string[],
  flaws: readonly Flaw[] = [],
): Verdict => withFlaws(tallyOutcome(plan, tally, names), flaws);

/** Rating rounds, of one listener or several. */
function gradingOutcome(grading: Grading | null, names: readonly string[]): Outcome {
  if (!grading) return { claim: "Nothing was graded: nothing is decided", detail: "There is no round to count." };
  const { figures, friedman, rounds, listeners, pairs } = grading;
  const order = byMost(figures.map((f) => f.mean));
  const ranking = order.map((s) => `${names[s]} ${withUnit(number(figures[s].mean), "points")}`).join(", ");
  const needed = roundsToSeparate(names.length, SIGNIFICANCE_LEVEL);
  const parts = [`Mean grades in ${plural(rounds, "round")} of ${plural(listeners, "listener")}: ${ranking}.`];
  if (friedman)
    parts.push(
      `Agreement of rounds: Kendall's W = ${friedman.agreement.toFixed(2)}.`,
      `By chance: ${oddsInWords(friedman.p)} (Friedman, ${chanceText(friedman)}).`,
    );
  parts.push(
    grading.repeatability === null
      ? "One round gives no repeatability."
      : `Repeatability: ${withUnit(number(grading.repeatability), "points")} (standard deviation).`,
  );
  if (rounds < needed)
    parts.push(
      `${plural(rounds, "round")} cannot separate any pair: ${plural(needed, "round")} can, of one listener or several.`,
    );
  const detail = parts.join(" ");
  if (figures.every((f) => f.mean === figures[0].mean)) return { claim: "All were graded equally", detail };
  return { claim: separationWords({ names, pairs }, order), detail };
}

/** `flaws`: of the runs, where a preference is shown. */
export const gradingVerdict = (
  grading: Grading | null,
  names: readonly string[],
  flaws: readonly Flaw[] = [],
): Verdict => withFlaws(gradingOutcome(grading, names), flaws);

/** A listener whose grades of the hidden reference or the anchor say that something is amiss; null where they do not. */
export function screeningSentence({ under, over, rounds, told }: Screening, who = "This listener"): string | null {
  if (!told) return null;
  const faults = [
    ...(under > 0
      ? [`graded the hidden reference below 90 % of the scale in ${under} of ${plural(rounds, "round")}`]
      : []),
    ...(over > 0 ? [`graded the anchor above 90 % in ${over} of ${plural(rounds, "round")}`] : []),
  ];
  return `${faults.map((fault) => `${who} ${fault}.`).join(" ")} ITU-R BS.1534-3 leaves out such grades (above 15 % of rounds); here they are counted.`;
}

/** Several listeners, one at least, right or wrong. `flaws`: what the pack was made in spite of. */
export function pooledVerdict(
  { rows, right, trials, p, corrected, someoneHears }: PooledScore,
  flaws: readonly Flaw[] = [],
): Verdict {
  const hearing = rows.filter((r) => r.hears).map((r) => r.code);
  const isOne = rows.length === 1;
  const together = `${right} of ${trials} correct, ${isOne ? "one listener" : `all ${rows.length} listeners together`}.`;
  const corrections = isOne ? "" : ` Corrected for ${rows.length + 1} tests (Holm): ${probabilityText(corrected)}.`;
  const odds = `By guessing: ${oddsInWords(p)} (${probabilityText(p)}).${corrections}`;
  const who = isOne
    ? ""
    : hearing.length > 0
      ? ` Shown by single listeners, corrected: ${listed(hearing)}.`
      : " Shown by no single listener, corrected.";
  const detail = `${together} ${odds}${who}`;
  if (hearing.length === 0 && !someoneHears)
    return withFlaws({ claim: "No difference was shown", detail: `${detail} ${NO_PROOF_OF_NONE}` }, []);
  const claim = someoneHears
    ? "A difference was shown"
    : `A difference was shown to ${listed(hearing)}, not to all together`;
  return withFlaws({ claim, detail }, flaws);
}

/** From this share on, most of a difference lies above what was heard. */
const MOST = 0.8;

/** Where most of the difference of two lies above what the listener heard at all; null where it does not, or is not known. */
export function aboveHearingSentence(above: readonly ShareAbove[] | null, listener: Listener | null): string | null {
  const unheardHz = listener?.unheardHz ?? null;
  if (!above || unheardHz === null) return null;
  const there = above.find(({ hertz }) => hertz === unheardHz);
  if (!there || there.share < MOST) return null;
  return `${percentWords(there.share)} of the difference lies above ${kilohertz(unheardHz)}, a tone this listener did not hear.`;
}

/** "at unequal level (1.40 LU remaining) and with alignment in doubt". */
export function flawWords(flaws: readonly Flaw[]): string {
  return listed(
    flaws.map(({ name, remaining, unit }) => {
      if (name === "alignment") return "with alignment in doubt";
      if (name === "clipping") return "with playback clipping";
      return remaining === null
        ? "at unmatched level"
        : `at unequal level (${withUnit(number(remaining, 2), unit)} remaining)`;
    }),
  );
}

const FLAW_CAUSES = { level: "level", alignment: "timing", clipping: "clipping" } as const;

/** What a difference that was shown in spite of flaws does not say. */
const flawSentence = (flaws: readonly Flaw[]): string =>
  `What was heard may be ${flaws.map(({ name }) => FLAW_CAUSES[name]).join(" or ")}, not the processing.`;

/** A result that shows something, with what it was shown in spite of. */
function withFlaws({ claim, detail }: Outcome, flaws: readonly Flaw[]): Verdict {
  if (flaws.length === 0) return { headline: `${claim}.`, detail };
  return { headline: `${claim}, ${flawWords(flaws)}.`, detail: `${flawSentence(flaws)} ${detail}` };
}

/** The result of one run. `flaws`: of the run; they are named where it shows something. */
export function runVerdict(
  plan: Plan,
  result: RunResult,
  names: readonly string[],
  flaws: readonly Flaw[] = [],
): Verdict {
  const isShown = result.outcome === "heard" || result.outcome === "ahead";
  return withFlaws(outcomeOf(plan, result, names), isShown ? flaws : []);
}

function outcomeOf(plan: Plan, result: RunResult, names: readonly string[]): Outcome {
  if (result.kind === "right or wrong") {
    const own = plan as RightOrWrongPlan;
    return own.series ? partOutcome(own, result) : scoreOutcome(own, result);
  }
  const planned = trialCount(plan, names.length);
  if (result.kind === "choices") {
    const { tally, outcome } = result;
    return outcome === "left early"
      ? leftEarly(`${plural(tally.rounds, "pick")} made`, plural(planned, "pick"))
      : tallyOutcome(plan as ChoicePlan, tally, names);
  }
  return result.outcome === "left early"
    ? leftEarly(`${plural(result.grading?.rounds ?? 0, "round")} graded`, plural(planned, "round"))
    : gradingOutcome(result.grading, names);
}
