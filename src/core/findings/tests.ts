import padjust from "@stdlib/stats-padjust";
import { log } from "../audio/exact-math";
import { type Flaw, flawsOf, flawsOfAll } from "../blind/flaws";
import { type Lead, leaderOf, leadOf } from "../blind/lead";
import { isRightOrWrong, SIGNIFICANCE_LEVEL, type Test, testOf } from "../blind/plan";
import { type RightOrWrongResult, seriesResult } from "../blind/result";
import type { Run, Stimulus } from "../blind/run";

/** Which candidate a stimulus was a render of; null where that is not known any more, and for anchors. */
export type CandidateOf = (stimulus: Stimulus) => string | null;

/** One question of a comparison, asked by one run or by many, and what they come to by themselves and among all questions. */
export type Question = {
  passageId: string;
  /** Chance that guessing alone comes so far in all runs of the question together; 1 where none was taken to its end. */
  p: number;
  /** The same corrected over all questions of the comparison, after Holm (1979). */
  corrected: number;
  /** How many questions it was corrected over. */
  questions: number;
  /** What runs that decide nothing about the processing were begun in spite of. */
  flaws: Flaw[];
};

/** A run by itself, or a series, that was taken to its end; with flaws it decides nothing. */
export type EndedTest = { test: Test; result: RightOrWrongResult; runs: Run[]; flaws: Flaw[] };

/** What blind runs say of whether a difference between two candidates is heard on one passage. */
export type Discrimination = Question & {
  /** The two, in the order of the first run. */
  candidateIds: readonly [string, string];
  runs: Run[];
  tests: EndedTest[];
  /**
   * "flawed": only shown with runs whose checks were overruled. "in doubt": shown by itself, and not among so many questions, or by one run of
   * several. "open": none was taken to its end.
   */
  outcome: "told" | "flawed" | "not told" | "in doubt" | "open";
  /** Of the runs that count. */
  listeners: number;
};

/** What one blind run says of which is liked. */
export type Preference = {
  passageId: string;
  run: Run;
  /** Those that could be liked, in the order of the run; null for one that is gone. */
  candidateIds: (string | null)[];
  /** Shown by this run to be ahead of each of the others. */
  winnerId: string | null;
  /** Who leads, and the chance of a lead over each of the others by guessing. */
  lead: { id: string; p: number } | null;
  /** Had most of it, alone, whether that shows anything or not. */
  mostId: string | null;
  /** Chance of answers so uneven where all are liked alike; 1 where nothing is known. */
  unevenP: number;
  /** "9 of 12 rounds", "mean 71.3 of 4 rounds". */
  scores: Score[];
  p: number | null;
  isWhole: boolean;
  flaws: Flaw[];
};

/**
 * Chance that guessing comes so far in several tests together, from what it is in each: Fisher's method (Statistical Methods for Research
 * Workers, 1932); for tests of whole answers a little more than the true chance. 1 where there is none.
 */
export function combinedChance(chances: readonly number[]): number {
  if (chances.length === 0) return 1;
  const product = chances.reduce((all, p) => all * p, 1);
  if (product === 0) return 0;
  let term = 1;
  let sum = 0;
  for (let k = 0; k < chances.length; k++) {
    sum += term;
    term *= -log(product) / (k + 1);
  }
  return Math.min(1, product * sum);
}

/** Room for the last bits of sums. */
const A_BIT = 1e-12;
const isShown = (chance: number): boolean => chance <= SIGNIFICANCE_LEVEL + A_BIT;

/** Listeners of some runs, each code once; those without one are taken for one. */
export const listenersOf = (runs: readonly Run[]): number =>
  new Set(runs.map(({ listener }) => listener?.code.trim() ?? "")).size;

/** What a render scored in one run: how often it was picked, or its mean grade. */
export type Score =
  | { kind: "picks"; picks: number; of: number; unit: "pairing" | "round" }
  | { kind: "grades"; mean: number; rounds: number };

/** What all runs of a comparison come to: each question once, all of them judged together. */
export type Claims = { discriminations: Discrimination[]; likings: Liking[] };

/**
 * Every question that was asked, judged among all of them: Holm (1979) over what was asked, so that in no more than 5 of 100 comparisons in
 * which nobody hears or prefers anything a single claim is made. One that was begun and left early was asked, too.
 */
export function claimsOf(runs: readonly Run[], candidateOf: CandidateOf): Claims {
  const pairs = pairsIn(runs, candidateOf);
  const groups = likingGroups(preferencesIn(runs, candidateOf));
  const asked = [
    ...pairs.filter(({ runs: own }) => own.some((run) => run.finishedAt !== null)).map(({ p }) => p),
    ...groups.map(({ p }) => p),
  ];
  const all = asked.length > 0 ? padjust(asked, "holm") : [];
  const correctedOf = (p: number) => (p >= 1 ? 1 : all[asked.indexOf(p)]);
  const among = <Own extends { p: number }>(own: Own) => ({
    ...own,
    corrected: correctedOf(own.p),
    questions: asked.length,
  });
  return {
    discriminations: pairs.map((pair) => {
      const judged = among(pair);
      const claim = { ...judged, ...outcomeOf(judged) };
      return { ...claim, listeners: listenersOf(countedOf(claim).counted.flatMap(({ runs }) => runs)) };
    }),
    likings: groups.map((group) => likingOf(among(group))),
  };
}

type Pair = Omit<Discrimination, "outcome" | "corrected" | "questions" | "flaws" | "listeners"> & { allP: number };

/** Every pair that was asked about, with all runs over it on one passage together. */
function pairsIn(runs: readonly Run[], candidateOf: CandidateOf): Pair[] {
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
  const chanceIn = (tests: EndedTest[]) => combinedChance(tests.map(({ result }) => result.guessing));
  return [...pairs.values()].map((pair) => {
    const tests = testsIn(pair.runs);
    return { ...pair, tests, p: chanceIn(tests.filter(isFair)), allP: chanceIn(tests) };
  });
}

/** What a pair comes to among all questions. Which runs are flawed was known before their first trial, so that leaving them out favours nobody. */
function outcomeOf({
  tests,
  p,
  allP,
  corrected,
  runs,
}: Pair & { corrected: number }): Pick<Discrimination, "outcome" | "flaws"> {
  const none: Flaw[] = [];
  if (tests.length === 0) return { outcome: "open", flaws: none };
  if (isShown(corrected)) return { outcome: "told", flaws: none };
  if (isShown(p)) return { outcome: "in doubt", flaws: none };
  if (isShown(allP)) return { outcome: "flawed", flaws: flawsOfAll(runs.filter((run) => run.result)) };
  const passed = tests.some(({ result }) => result.outcome === "heard");
  return { outcome: passed ? "in doubt" : "not told", flaws: none };
}

const inTime = (runs: readonly Run[]): Run[] => runs.toSorted((a, b) => a.createdAt.localeCompare(b.createdAt));

/** The tests among runs that were taken to their end; the runs of one series are one. */
function testsIn(runs: readonly Run[]): EndedTest[] {
  const tests: EndedTest[] = [];
  const seen = new Set<string>();
  for (const run of runs) {
    const { plan, result } = run;
    if (!isRightOrWrong(plan) || result?.kind !== "right or wrong") continue;
    const { series } = plan;
    if (!series) {
      if (result.outcome !== "left early") tests.push({ test: testOf(plan), result, runs: [run], flaws: flawsOf(run) });
      continue;
    }
    if (seen.has(series.id)) continue;
    seen.add(series.id);
    const own = runs.filter(({ plan: other }) => isRightOrWrong(other) && other.series?.id === series.id);
    const results = own.flatMap((r) => (r.result?.kind === "right or wrong" ? [r.result] : []));
    const whole = seriesResult(plan, results);
    if (whole.outcome !== "left early")
      tests.push({ test: testOf(plan), result: whole, runs: own, flaws: flawsOfAll(own) });
  }
  return tests;
}

export const isTakenToEnd = ({ preferences }: Liking): boolean => preferences.some(({ isWhole }) => isWhole);

export const isFair = ({ flaws }: { flaws: readonly Flaw[] }): boolean => flaws.length === 0;

/** The tests a claim stands on, and those beside them that decide nothing. Where none is fair, or only flawed ones show anything, all are reported. */
export function countedOf({ tests, outcome }: Pick<Discrimination, "tests" | "outcome">) {
  const fair = tests.filter(isFair);
  if (outcome === "flawed" || fair.length === 0) return { counted: tests, uncounted: [] };
  return { counted: fair, uncounted: tests.filter((test) => !isFair(test)) };
}

/** Every finished run that asks which is liked. */
const preferencesIn = (runs: readonly Run[], candidateOf: CandidateOf): Preference[] =>
  inTime(runs).flatMap((run) => {
    const { result, stimuli, passageId } = run;
    if (!result || result.kind === "right or wrong") return [];
    const candidateIds = stimuli.map((s) => (s.role === "candidate" ? candidateOf(s) : null));
    const isWhole = result.outcome !== "left early";
    const idOf = (index: number | null) => (index === null ? null : candidateIds[index]);
    if (result.kind === "choices") {
      const { tally } = result;
      const unit = run.plan.kind === "pairs" ? ("pairing" as const) : ("round" as const);
      // Two at a time each has met only some of all meetings.
      const met = run.plan.kind === "pairs" ? (2 * tally.rounds) / stimuli.length : tally.rounds;
      return [
        {
          passageId,
          run,
          candidateIds,
          winnerId: isWhole ? idOf(leaderOf(tally)) : null,
          lead: leadWith(leadOf(tally), idOf),
          mostId: idOf(alone(tally.picks)),
          unevenP: isWhole ? tally.chance.p : 1,
          scores: tally.picks.map((picks): Score => ({ kind: "picks", picks, of: met, unit })),
          p: tally.chance.p,
          isWhole,
          flaws: flawsOf(run),
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
    // Corrected within the run already.
    const chanceBetween = (a: number, b: number) =>
      grading.pairs.find((p) => (p.a === a && p.b === b) || (p.a === b && p.b === a))?.corrected ?? 1;
    const top = among.toSorted((a, b) => means[b] - means[a])[0] ?? null;
    const behind = among.filter((b) => b !== top);
    const lead =
      top === null || behind.length === 0
        ? null
        : { index: top, p: Math.max(...behind.map((b) => chanceBetween(top, b))) };
    const between = among.flatMap((a) => among.filter((b) => b > a).map((b) => chanceBetween(a, b)));
    return [
      {
        passageId,
        run,
        candidateIds,
        winnerId: isWhole ? idOf(first) : null,
        lead: leadWith(lead, idOf),
        mostId: idOf(alone(means.map((mean, i) => (candidateIds[i] === null ? Number.NEGATIVE_INFINITY : mean)))),
        // References and anchors stand apart from everything: what they show is no liking.
        unevenP: isWhole && between.length > 0 ? Math.min(...between) : 1,
        scores: means.map((mean): Score => ({ kind: "grades", mean, rounds: grading.rounds })),
        p: grading.friedman?.p ?? null,
        isWhole,
        flaws: flawsOf(run),
      },
    ];
  });

/** The index of the largest value; null where more than one has it. */
function alone(values: readonly number[]): number | null {
  const most = Math.max(...values);
  return values.filter((v) => v === most).length === 1 ? values.indexOf(most) : null;
}

const leadWith = (lead: Lead | null, idOf: (index: number | null) => string | null): Preference["lead"] => {
  const id = lead && idOf(lead.index);
  return lead && id ? { id, p: lead.p } : null;
};

/** What several runs over the same candidates on one passage come to: one asked again and again proves less. */
export type Liking = Question & {
  candidateIds: string[];
  preferences: Preference[];
  /** Shown over all of them together. */
  winnerId: string | null;
  /** Where nobody is: who had most of it in every run, if these show that not all are liked alike. */
  mostId: string | null;
  /** Whom only runs would show whose checks were overruled. */
  flawedWinnerId: string | null;
  listeners: number;
};

type LikingGroup = { passageId: string; preferences: Preference[]; fair: Preference[]; whole: Preference[]; p: number };

function likingGroups(preferences: readonly Preference[]): LikingGroup[] {
  const groups = new Map<string, Preference[]>();
  for (const preference of preferences) {
    const ids = preference.candidateIds.flatMap((id) => id ?? []).sort();
    const key = `${preference.passageId} ${ids.join(" ")}`;
    groups.set(key, [...(groups.get(key) ?? []), preference]);
  }
  return [...groups.values()].map((group) => {
    const whole = group.filter((p) => p.isWhole);
    const fair = whole.filter(isFair);
    return { passageId: group[0].passageId, preferences: group, whole, fair, p: unevenIn(fair) };
  });
}

const unevenIn = (some: readonly Preference[]): number => combinedChance(some.map(({ unevenP }) => unevenP));

/** Who leads in all of some runs, where they agree on it, and the chance of that. */
function winnerIn(some: readonly Preference[]): { id: string; p: number } | null {
  const winners = [...new Set(some.flatMap(({ winnerId }) => winnerId ?? []))];
  if (winners.length !== 1) return null;
  const [id] = winners;
  return { id, p: combinedChance(some.map(({ lead }) => (lead?.id === id ? lead.p : 1))) };
}

function likingOf(group: LikingGroup & { corrected: number; questions: number }): Liking {
  const { preferences, whole, fair, p, corrected, questions, passageId } = group;
  const isUneven = isShown(corrected);
  const won = winnerIn(fair);
  // To be ahead of each is more than to be liked unevenly: it is corrected by as much.
  const winnerId = won && isUneven && isShown(won.p * (p > 0 ? corrected / p : 1)) ? won.id : null;
  const most = new Set(fair.map(({ mostId }) => mostId));
  const all = winnerIn(whole);
  const isFlawed = winnerId === null && !isShown(p) && all !== null && isShown(unevenIn(whole)) && isShown(all.p);
  return {
    passageId,
    p,
    corrected,
    questions,
    candidateIds: preferences[0].candidateIds.flatMap((id) => id ?? []),
    preferences,
    winnerId,
    mostId: winnerId === null && isUneven && most.size === 1 ? fair[0].mostId : null,
    flawedWinnerId: isFlawed ? all.id : null,
    flaws: isFlawed ? flawsOfAll(whole.map(({ run }) => run)) : [],
    listeners: listenersOf(
      countedLikings({ preferences, flawedWinnerId: isFlawed ? all.id : null }).counted.map(({ run }) => run),
    ),
  };
}

/** The runs a claim of what is liked stands on, and those beside them that decide nothing. */
export function countedLikings({ preferences, flawedWinnerId }: Pick<Liking, "preferences" | "flawedWinnerId">) {
  const isFlawed = ({ isWhole, flaws }: Preference) => isWhole && flaws.length > 0;
  if (flawedWinnerId !== null || !preferences.some((p) => p.isWhole && !isFlawed(p)))
    return { counted: preferences, uncounted: [] };
  return { counted: preferences.filter((p) => !isFlawed(p)), uncounted: preferences.filter(isFlawed) };
}
