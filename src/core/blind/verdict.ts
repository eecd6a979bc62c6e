import { log10, pow } from "../audio/exact-math";
import type { Tally } from "./favourite";
import { type Flaw, flawSentence, flawWords } from "./flaws";
import { chanceOfAny, guessingProbability, INTERVAL_CONFIDENCE } from "./odds";
import { everyPair, type PairTest } from "./paired";
import type { ChanceFigure } from "./permutation";
import {
  type ChoicePlan,
  type Plan,
  type RightOrWrongPlan,
  SIGNIFICANCE_LEVEL,
  type Test,
  testOf,
  trialCount,
} from "./plan";
import type { PooledScore } from "./pooled";
import { type Grading, roundsToSeparate, type Screening } from "./rating";
import { type RightOrWrongResult, type RunResult, seriesResult } from "./result";
import type { Listener, ShareAbove } from "./run";

export type Verdict = { headline: string; detail: string };

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

const ORDINALS = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];
const ordinal = (n: number): string => ORDINALS[n - 1] ?? `${n}th`;

/** "The third run of this pair: …" for every test of one but the first; null for that. `tests`: all up to this one, oldest first. */
export function repetitionSentence(tests: readonly Test[]): string | null {
  const number = tests.length;
  if (number < 2) return null;
  const some = percentOf(chanceOfAny(tests.map(({ rightNeeded, trials }) => guessingProbability(rightNeeded, trials))));
  return `This was the ${ordinal(number)} run of this pair: guessers pass at least one of ${number} such runs in ${some} of 100 cases.`;
}

const percentOf = (share: number): string => {
  const hundredth = 100 * share;
  return hundredth < 10 ? hundredth.toFixed(1) : String(Math.round(hundredth));
};

/** p to four decimals, or as a bound below that; with its error where it was found by shuffles. */
export function probabilityText(probability: number, error = 0): string {
  if (probability < 0.0001) return "p < 0.0001";
  return error > 0 ? `p = ${probability.toFixed(4)} ± ${error.toFixed(4)}` : `p = ${probability.toFixed(4)}`;
}

const chanceText = ({ p, error }: ChanceFigure): string => probabilityText(p, error);
const percent = (share: number): string => `${Math.round(share * 100)} %`;
const times = (count: number): string => (count === 1 ? "once" : count === 2 ? "twice" : `${count} times`);

/** "A", "A and B", "A, B and C". */
export function listed(items: readonly string[]): string {
  if (items.length < 2) return items.join("");
  return `${items.slice(0, -1).join(", ")} and ${items[items.length - 1]}`;
}

const leftEarly = (done: string, planned: string): Verdict => ({
  headline: "The run was left early, so it decides nothing.",
  detail:
    `${done}; ${planned} were planned. A run that may stop whenever it goes well proves nothing; ` +
    "plan a new one and take it to its end.",
});

const NO_PROOF_OF_NONE = "That is not proof that there is none: only that this run did not show one.";

/** Right or wrong: first the answer, then what it rests on. */
export function scoreVerdict(plan: Test, result: RightOrWrongResult): Verdict {
  const score = `${result.right} of ${result.answered} right`;
  if (result.outcome === "left early") return leftEarly(score, `${plan.trials} trials`);
  const odds = `Someone who only guesses gets that or better ${oddsInWords(result.guessing)} times`;
  const range = `The true share of right answers lies between ${percent(result.abilityLow)} and ${percent(result.abilityHigh)} (${Math.round(100 * INTERVAL_CONFIDENCE)} % interval).`;
  const late = result.missed > 0 ? ` In ${result.missed} the time was up; they count as not right.` : "";
  const facts = `${score}; the plan asked for ${plan.rightNeeded}. ${odds} (${probabilityText(result.guessing)}). ${range}${late}`;
  return result.outcome === "heard"
    ? { headline: "A difference was shown.", detail: facts }
    : { headline: "No difference was shown.", detail: `${facts} ${NO_PROOF_OF_NONE}` };
}

/** Runs of a series, stated beforehand to be judged together. */
export function seriesVerdict(
  plan: RightOrWrongPlan,
  results: readonly RightOrWrongResult[],
  flaws: readonly Flaw[] = [],
): Verdict {
  const result = seriesResult(plan, results);
  const shown = result.outcome === "heard" ? flaws : [];
  const { headline, detail } = withFlaws(scoreVerdict(testOf(plan), result), shown);
  return { headline, detail: `${plan.series?.runs} runs, judged together as was stated before the first. ${detail}` };
}

/** A run of a series by itself: it decides nothing. */
function partVerdict({ series, trials }: RightOrWrongPlan, { right, answered }: RightOrWrongResult): Verdict {
  return {
    headline: "This run decides nothing by itself.",
    detail: `${right} of ${answered} right, of ${trials} planned: run ${series?.run} of ${series?.runs} that were stated beforehand to be judged together.`,
  };
}

type Sides = { names: readonly string[]; pairs: readonly PairTest[] };

const winners = (pairs: readonly PairTest[], stimulus: number): number[] =>
  pairs.flatMap(({ a, b, ahead }) =>
    ahead === "a" && a === stimulus ? [b] : ahead === "b" && b === stimulus ? [a] : [],
  );

/** Which pairs the data separate: "C is ahead of A and D; B and C cannot be told apart with this data." `order`: best first. */
export function separationSentence({ names, pairs }: Sides, order: readonly number[]): string {
  if (pairs.every(({ ahead }) => ahead === null)) {
    return names.length === 2
      ? `${names[0]} and ${names[1]} cannot be told apart with this data.`
      : "No two of them can be told apart with this data.";
  }
  const ahead = order.flatMap((s) => {
    const beaten = winners(pairs, s);
    return beaten.length > 0
      ? [`${names[s]} is ahead of ${listed(order.filter((o) => beaten.includes(o)).map((o) => names[o]))}`]
      : [];
  });
  const apart = new Set(pairs.filter((p) => p.ahead).map(({ a, b }) => `${a} ${b}`));
  const together = everyPair(names.length).filter(([a, b]) => !apart.has(`${a} ${b}`));
  if (together.length === 0) return `${ahead.join("; ")}. Every pair is told apart.`;
  const leader = order[0];
  const withLeader = together.filter((pair) => pair.includes(leader)).map(([a, b]) => (a === leader ? b : a));
  const untold =
    withLeader.length > 0
      ? `${listed([leader, ...withLeader].map((s) => names[s]))} cannot be told apart with this data`
      : together.length === 1
        ? `${listed(together[0].map((s) => names[s]))} cannot be told apart with this data`
        : `${together.length} other pairs cannot be told apart with this data`;
  return `${ahead.join("; ")}; ${untold}.`;
}

const byMost = (values: readonly number[]): number[] =>
  values.map((_, i) => i).sort((a, b) => values[b] - values[a] || a - b);

export type Lead = { index: number; p: number };

/**
 * Who was picked most, alone, and the chance of such a lead over each of the others. To claim that, every single test has to pass, so none needs
 * a correction (intersection-union, Berger 1982; two-sided, since which one leads was seen in the same data): by simulation wrong in no more
 * than 5 % of runs.
 */
export function leadOf(tally: Tally): Lead | null {
  if (tally.rounds === 0) return null;
  const [first] = byMost(tally.worths ?? tally.picks);
  const isAlone = tally.picks.filter((picks) => picks === tally.picks[first]).length === 1;
  if (!isAlone || tally.picks[first] === 0) return null;
  const own = tally.pairs.filter(({ a, b }) => a === first || b === first).map(({ p }) => p);
  return { index: first, p: Math.max(tally.chance.p, ...own) };
}

/** Who is shown to be liked better than each of the others, and was picked most often; null where nobody is. */
export function leaderOf(tally: Tally): number | null {
  const lead = leadOf(tally);
  return lead && lead.p <= SIGNIFICANCE_LEVEL ? lead.index : null;
}

/** Favourite rounds, or two at a time. */
export function tallyVerdict(plan: Pick<ChoicePlan, "kind">, tally: Tally, names: readonly string[]): Verdict {
  if (tally.rounds === 0)
    return { headline: "Nothing was picked, so nothing is decided.", detail: "There is no answer to count." };
  const order = byMost(tally.worths ?? tally.picks);
  const [first] = order;
  const top = tally.picks[first];
  const equals = order.filter((s) => tally.picks[s] === top);
  const unit = plan.kind === "pairs" ? "meetings" : "rounds";
  const odds = `With no favourite at all, picks as uneven as these come up ${oddsInWords(tally.chance.p)} times (${chanceText(tally.chance)}).`;
  const ties = tally.ties > 0 ? ` ${tally.ties} of the ${tally.rounds} ${unit} ended in a tie.` : "";
  const count = order.map((s) => `${names[s]} ${tally.picks[s]}`).join(", ");
  const pairs = separationSentence({ names, pairs: tally.pairs }, order);
  const detail = `Best in ${tally.rounds} ${unit}: ${count}.${ties} ${odds} ${pairs}`;
  if (top === 0) return { headline: "Every round ended in a tie, so there is no favourite.", detail };
  if (equals.length === names.length)
    return { headline: "All were liked alike.", detail: `${detail} That is what no preference looks like.` };
  if (tally.chance.p > SIGNIFICANCE_LEVEL)
    return {
      headline: "No favourite was shown.",
      detail: `${detail} That is not proof that there is none.`,
    };
  if (equals.length > 1)
    return {
      headline: `Not all are liked alike: ${listed(equals.map((s) => names[s]))} were picked most, as often.`,
      detail,
    };
  return leaderOf(tally) === first
    ? { headline: `${names[first]} is the favourite.`, detail }
    : {
        headline: `Not all are liked alike: ${names[first]} was picked most.`,
        detail: `${detail} Whether it is liked better than each of the others is not shown.`,
      };
}

const grade = (value: number): string => value.toFixed(1);

/** Rating rounds, of one listener or several. */
export function gradingVerdict(grading: Grading | null, names: readonly string[]): Verdict {
  if (!grading)
    return { headline: "Nothing was graded, so nothing is decided.", detail: "There is no round to count." };
  const { figures, friedman, rounds, listeners, pairs } = grading;
  const order = byMost(figures.map((f) => f.mean));
  const ranking = order.map((s) => `${names[s]} ${grade(figures[s].mean)}`).join(", ");
  const from = `${rounds === 1 ? "One round" : `${rounds} rounds`} of ${listeners === 1 ? "one listener" : `${listeners} listeners`}`;
  const needed = roundsToSeparate(names.length, SIGNIFICANCE_LEVEL);
  const tooFew =
    rounds < needed
      ? ` ${rounds === 1 ? "A single round" : `${rounds} rounds`} cannot separate any of ${pairs.length === 1 ? "one pair" : `${pairs.length} pairs`}, whatever is graded: that takes ${needed} rounds, of one listener or of several together.`
      : "";
  const agreement = friedman
    ? ` Do the rounds agree on an order? Without any difference they would agree so far ${oddsInWords(friedman.p)} times (Friedman, ${chanceText(friedman)}; Kendall's W ${friedman.agreement.toFixed(2)}).`
    : "";
  const own =
    grading.repeatability === null
      ? " How far grades repeat is not known from one round."
      : ` Graded again, the same thing differs by ${grade(grading.repeatability)} (standard deviation).`;
  const allEqual = figures.every((f) => f.mean === figures[0].mean);
  const detail = `${from}, means: ${ranking}.${agreement}${own}${tooFew}`;
  if (allEqual) return { headline: "All were graded alike.", detail };
  return { headline: separationSentence({ names, pairs }, order), detail };
}

/** A listener whose grades of the hidden reference or the anchor say that something is amiss; null where they do not. */
export function screeningSentence({ under, over, rounds, told }: Screening, who = "This listener"): string | null {
  if (!told) return null;
  const faults = [
    ...(under > 0
      ? [`graded the hidden reference under nine tenths of the scale in ${under} of ${rounds} rounds`]
      : []),
    ...(over > 0 ? [`graded the anchor over nine tenths in ${over} of ${rounds}`] : []),
  ];
  return `${who} ${faults.join(" and ")}. By the rule of ITU-R BS.1534-3 (more than 15 %) such grades would be left out; here they are counted, and you are told.`;
}

/** Several listeners, one at least, right or wrong. `flaws`: what the pack was made in spite of. */
export function pooledVerdict(
  { rows, right, trials, p, corrected, someoneHears }: PooledScore,
  flaws: readonly Flaw[] = [],
): Verdict {
  const hearing = rows.filter((r) => r.hears).map((r) => r.code);
  const isOne = rows.length === 1;
  const over = isOne ? "" : `, corrected for ${rows.length + 1} tests (Holm) ${probabilityText(corrected)}`;
  const together = `${right} of ${trials} correct, ${isOne ? "one listener" : `all ${rows.length} listeners together`}: ${oddsInWords(p)} by guessing (${probabilityText(p)}${over}).`;
  const who = isOne
    ? ""
    : hearing.length > 0
      ? ` By themselves, corrected alike: ${listed(hearing)}.`
      : " By themselves, corrected alike: no difference shown to any of them.";
  if (hearing.length === 0 && !someoneHears)
    return {
      headline: "No difference was shown.",
      detail: `${together}${who} That is not proof that no one can hear one.`,
    };
  const headline = someoneHears
    ? "A difference was shown."
    : `A difference was shown to ${listed(hearing)}; not to all together.`;
  return withFlaws({ headline, detail: together + who }, flaws);
}

/** Told where most of a difference lies. */
const MOST = 0.8;

/** Where most of the difference of two lies above what the listener heard at all; null where it does not, or is not known. */
export function aboveHearingSentence(above: readonly ShareAbove[] | null, listener: Listener | null): string | null {
  const unheardHz = listener?.unheardHz ?? null;
  if (!above || unheardHz === null) return null;
  const there = above.find(({ hertz }) => hertz === unheardHz);
  if (!there || there.share < MOST) return null;
  return `${percent(there.share)} of what sets the two apart lies above ${unheardHz / 1000} kHz, a tone this listener did not hear on this equipment.`;
}

/** A verdict that shows something, with what it was shown in spite of. */
export function withFlaws({ headline, detail }: Verdict, flaws: readonly Flaw[]): Verdict {
  if (flaws.length === 0) return { headline, detail };
  return {
    headline: `${headline.replace(/\.$/, "")}, ${flawWords(flaws)}.`,
    detail: `${flawSentence(flaws)} ${detail}`,
  };
}

/** The verdict on one run. `flaws`: of the run; they are told where it shows something. */
export function runVerdict(
  plan: Plan,
  result: RunResult,
  names: readonly string[],
  flaws: readonly Flaw[] = [],
): Verdict {
  const isShown = result.outcome === "heard" || result.outcome === "ahead";
  return withFlaws(plainVerdict(plan, result, names), isShown ? flaws : []);
}

function plainVerdict(plan: Plan, result: RunResult, names: readonly string[]): Verdict {
  if (result.kind === "right or wrong") {
    const own = plan as RightOrWrongPlan;
    return own.series ? partVerdict(own, result) : scoreVerdict(own, result);
  }
  const planned = trialCount(plan, names.length);
  if (result.kind === "choices") {
    const { tally, outcome } = result;
    return outcome === "left early"
      ? leftEarly(`${times(tally.rounds)} picked`, `${planned} picks`)
      : tallyVerdict(plan as ChoicePlan, tally, names);
  }
  return result.outcome === "left early"
    ? leftEarly(`${result.grading?.rounds ?? 0} rounds graded`, `${planned} rounds`)
    : gradingVerdict(result.grading, names);
}
