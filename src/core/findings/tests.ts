import { guessingProbability } from "../blind/odds";
import { isRightOrWrong, SIGNIFICANCE_LEVEL, type Test, testOf } from "../blind/plan";
import { type RightOrWrongResult, seriesResult } from "../blind/result";
import type { Run, Stimulus } from "../blind/run";
import { leaderOf, listed, oddsInWords } from "../blind/verdict";

/** Which candidate a stimulus was a render of; null where that is not known any more, and for anchors. */
export type CandidateOf = (stimulus: Stimulus) => string | null;

/** What blind runs say of whether two candidates can be told apart on one passage. */
export type Discrimination = {
  passageId: string;
  /** The two, in the order of the first run. */
  candidateIds: readonly [string, string];
  runs: Run[];
  /** Runs by themselves, or series, that were taken to their end. */
  tests: { test: Test; result: RightOrWrongResult }[];
  /** "in doubt": some tests were passed, but no more than guessers may pass of so many. "open": none was taken to its end. */
  outcome: "told" | "not told" | "in doubt" | "open";
  /** Chance that guessers pass as many of these tests, or more; 1 where there is none. */
  guessing: number;
  listeners: number;
};

/** What one blind run says of which is liked. */
export type Preference = {
  passageId: string;
  run: Run;
  /** Those that could be liked, in the order of the run; null for one that is gone. */
  candidateIds: (string | null)[];
  /** Shown to be ahead of each of the others. */
  winnerId: string | null;
  /** Had most of it, alone, whether that shows anything or not. */
  mostId: string | null;
  /** Shown that not all are liked alike, whoever is ahead of whom. */
  isUneven: boolean;
  /** "9 of 12 rounds", "mean 71.3 of 4 rounds". */
  scores: string[];
  p: number | null;
  isWhole: boolean;
};

/** Chance of passing `passed` or more of some tests, each passed by a guesser with its own chance: the Poisson binomial distribution. */
export function chanceOfPassing(passed: number, chances: readonly number[]): number {
  let exactly = [1];
  for (const chance of chances)
    exactly = [...exactly, 0].map((p, k) => p * (1 - chance) + (k > 0 ? exactly[k - 1] * chance : 0));
  return exactly.slice(passed).reduce((sum, p) => sum + p, 0);
}

/** Room for the last bits of sums. */
const A_BIT = 1e-12;
export const isShown = (chance: number): boolean => chance <= SIGNIFICANCE_LEVEL + A_BIT;

/** Listeners of some runs, each code once; those without one are taken for one. */
export const listenersOf = (runs: readonly Run[]): number =>
  new Set(runs.map(({ listener }) => listener?.code.trim() ?? "")).size;

/** Every pair that was asked about, with all runs over it on one passage together. */
export function discriminationsIn(runs: readonly Run[], candidateOf: CandidateOf): Discrimination[] {
  const pairs = new Map<string, { passageId: string; candidateIds: readonly [string, string]; runs: Run[] }>();
  for (const run of inTime(runs)) {
    if (!isRightOrWrong(run.plan)) continue;
    const [a, b] = run.stimuli.map(candidateOf);
    if (a === null || b === null || a === undefined || b === undefined || a === b) continue;
    const key = `${run.passageId} ${[a, b].sort().join(" ")}`;
    const known = pairs.get(key);
    if (known) known.runs.push(run);
    else pairs.set(key, { passageId: run.passageId, candidateIds: [a, b], runs: [run] });
  }
  return [...pairs.values()].map((pair) => {
    const tests = testsIn(pair.runs);
    const passed = tests.filter(({ result }) => result.outcome === "heard").length;
    const guessing = chanceOfPassing(
      passed,
      tests.map(({ test }) => guessingProbability(test.rightNeeded, test.trials)),
    );
    return {
      ...pair,
      tests,
      outcome:
        tests.length === 0 ? "open" : passed === 0 ? "not told" : isShown(guessing) ? "told" : ("in doubt" as const),
      guessing,
      listeners: listenersOf(pair.runs.filter((run) => run.result)),
    };
  });
}

const inTime = (runs: readonly Run[]): Run[] => runs.toSorted((a, b) => a.createdAt.localeCompare(b.createdAt));

/** The tests among runs that were taken to their end; the runs of one series are one. */
function testsIn(runs: readonly Run[]): Discrimination["tests"] {
  const tests: Discrimination["tests"] = [];
  const seen = new Set<string>();
  for (const { plan, result } of runs) {
    if (!isRightOrWrong(plan) || result?.kind !== "right or wrong") continue;
    const { series } = plan;
    if (!series) {
      if (result.outcome !== "left early") tests.push({ test: testOf(plan), result });
      continue;
    }
    if (seen.has(series.id)) continue;
    seen.add(series.id);
    const results = runs.flatMap(({ plan: other, result: own }) =>
      isRightOrWrong(other) && other.series?.id === series.id && own?.kind === "right or wrong" ? [own] : [],
    );
    const whole = seriesResult(plan, results);
    if (whole.outcome !== "left early") tests.push({ test: testOf(plan), result: whole });
  }
  return tests;
}

/** "13 of 16 right, which guessers reach 1 in 94 times"; several tests as how many were passed. */
export function discriminationScore({ tests, guessing, listeners, outcome }: Discrimination): string {
  if (outcome === "open") return "no run was taken to its end";
  const by = listeners > 1 ? `, ${listeners} listeners` : "";
  const [{ result }] = tests;
  if (tests.length === 1)
    return `${result.right} of ${result.answered} right${by}, which guessers reach ${oddsInWords(result.guessing)} times`;
  const passed = tests.filter((t) => t.result.outcome === "heard").length;
  const right = tests.reduce((sum, t) => sum + t.result.right, 0);
  const answered = tests.reduce((sum, t) => sum + t.result.answered, 0);
  const odds = passed > 0 ? `, which guessers do ${oddsInWords(guessing)} times` : "";
  return `${passed} of ${tests.length} tests passed${by}${odds} (${right} of ${answered} right)`;
}

/** Every finished run that asks which is liked. */
export const preferencesIn = (runs: readonly Run[], candidateOf: CandidateOf): Preference[] =>
  inTime(runs).flatMap((run) => {
    const { result, stimuli, passageId } = run;
    if (!result || result.kind === "right or wrong") return [];
    const candidateIds = stimuli.map((s) => (s.role === "candidate" ? candidateOf(s) : null));
    const isWhole = result.outcome !== "left early";
    const idOf = (index: number | null) => (index === null ? null : candidateIds[index]);
    if (result.kind === "choices") {
      const { tally } = result;
      const unit = run.plan.kind === "pairs" ? "meetings" : "rounds";
      // Two at a time each has met only some of all meetings.
      const met = run.plan.kind === "pairs" ? (2 * tally.rounds) / stimuli.length : tally.rounds;
      return [
        {
          passageId,
          run,
          candidateIds,
          winnerId: isWhole ? idOf(leaderOf(tally)) : null,
          mostId: idOf(alone(tally.picks)),
          isUneven: result.outcome === "ahead",
          scores: tally.picks.map((picks) => `${picks} of ${met} ${unit}`),
          p: tally.chance.p,
          isWhole,
        },
      ];
    }
    const { grading } = result;
    if (!grading) return [];
    const means = grading.figures.map(({ mean }) => mean);
    // References and anchors are no candidates: whoever is liked is liked among those that can be taken.
    const among = candidateIds.flatMap((id, i) => (id === null ? [] : [i]));
    const beats = (a: number, b: number) =>
      grading.pairs.some(
        (p) => (p.a === a && p.b === b && p.ahead === "a") || (p.a === b && p.b === a && p.ahead === "b"),
      );
    const first = among.find((a) => among.length > 1 && among.every((b) => a === b || beats(a, b))) ?? null;
    return [
      {
        passageId,
        run,
        candidateIds,
        winnerId: isWhole ? idOf(first) : null,
        mostId: idOf(alone(means.map((mean, i) => (candidateIds[i] === null ? Number.NEGATIVE_INFINITY : mean)))),
        // References and anchors stand apart from everything: what they show is no liking.
        isUneven: isWhole && among.some((a) => among.some((b) => beats(a, b))),
        scores: means.map((mean) => `mean ${mean.toFixed(1)} of ${grading.rounds} rounds`),
        p: grading.friedman?.p ?? null,
        isWhole,
      },
    ];
  });

/** The index of the largest value; null where more than one has it. */
function alone(values: readonly number[]): number | null {
  const most = Math.max(...values);
  return values.filter((v) => v === most).length === 1 ? values.indexOf(most) : null;
}

/** What several runs over the same candidates on one passage come to: one asked again and again proves less. */
export type Liking = {
  passageId: string;
  candidateIds: string[];
  preferences: Preference[];
  /** Shown over all of them together. */
  winnerId: string | null;
  /** Where nobody is: who had most of it in every run, if these show that not all are liked alike. */
  mostId: string | null;
  listeners: number;
};

export function likingsIn(preferences: readonly Preference[]): Liking[] {
  const groups = new Map<string, Preference[]>();
  for (const preference of preferences) {
    const ids = preference.candidateIds.flatMap((id) => id ?? []).sort();
    const key = `${preference.passageId} ${ids.join(" ")}`;
    groups.set(key, [...(groups.get(key) ?? []), preference]);
  }
  return [...groups.values()].map((group) => {
    const whole = group.filter((p) => p.isWhole);
    // Each run says so by chance in no more than 5 % of cases.
    const isShownBy = (some: readonly Preference[]) =>
      some.length > 0 &&
      isShown(
        chanceOfPassing(
          some.length,
          whole.map(() => SIGNIFICANCE_LEVEL),
        ),
      );
    const won = whole.filter(({ winnerId }) => winnerId !== null);
    const winners = new Set(won.map(({ winnerId }) => winnerId));
    const winnerId = winners.size === 1 && isShownBy(won) ? won[0].winnerId : null;
    const most = new Set(whole.map(({ mostId }) => mostId));
    const isUneven = isShownBy(whole.filter((p) => p.isUneven));
    return {
      passageId: group[0].passageId,
      candidateIds: group[0].candidateIds.flatMap((id) => id ?? []),
      preferences: group,
      winnerId,
      mostId: winnerId === null && isUneven && most.size === 1 ? whole[0].mostId : null,
      listeners: listenersOf(group.map(({ run }) => run)),
    };
  });
}

/** What one of them scored: "9 of 12 rounds"; several runs one after the other. */
export function likingScore({ preferences }: Liking, candidateId: string): string {
  const scores = preferences.flatMap(({ candidateIds, scores: own, isWhole }) => {
    const score = own[candidateIds.indexOf(candidateId)];
    return score ? [isWhole ? score : `${score}, left early`] : [];
  });
  return listed(scores);
}
