import { chanceOfAtLeast, guessingProbability, trialsNeeded } from "../blind/odds";
import { FEWEST_TRIALS, MOST_ROUNDS, MOST_TRIALS, SIGNIFICANCE_LEVEL } from "../blind/plan";
import type { Run } from "../blind/run";
import { NEXT_RUN } from "../words/findings";
import { discriminationScore } from "../words/findings-scores";
import { cellOf, dryOf, findingOf, isPair, type OpenBook, pairOf } from "./book";
import type { Discrimination, Liking } from "./tests";

/** The run that would settle an open question at least cost. */
export type NextRun = {
  passageId: string;
  /** The two that are to be heard: Here, Yonder. */
  candidateIds: readonly [string, string];
  form: "abx" | "pairs";
  /** Trials, or rounds. */
  count: number;
  minutes: number;
  /** What is open, in one sentence. */
  question: string;
  /** Why this run, in another. */
  why: string;
};

/** A question that no further trial settles, and why. */
export type SettledQuestion = { passageId: string; candidateIds: readonly [string, string]; says: string };

/** A run that was begun and waits. */
export type WaitingRun = { runId: string; passageId: string };

/** What is worth detecting: the share of correct answers, and the power to detect it. */
export type Asked = { effect: number; power: number };

/** What a trial takes where nobody has taken one here: a guess, no published source. */
const USUAL_SECONDS = 15;
/** More runs than this are not looked at by anyone in one evening. */
const MOST_SHOWN = 6;
/** A difference whose chance of being heard is under this everywhere, by estimate: more trials are not advised. */
const HARDLY_HEARD = 0.05;

export type WhatNext = { waiting: WaitingRun[]; runs: NextRun[]; settled: SettledQuestion[] };

/** The questions of a comparison that are open, with the run for each; what waits; and what no trial will change. */
export function whatNext(book: OpenBook, asked: Asked): WhatNext {
  const waiting = book.runs
    .filter((run) => run.finishedAt === null)
    .map(({ id, passageId }) => ({ runId: id, passageId }));
  const settled: SettledQuestion[] = [];
  const proposed: NextRun[] = [];
  const propose = (run: NextRun) => {
    const isKnown = proposed.some(
      (p) => p.passageId === run.passageId && p.form === run.form && isPair(p.candidateIds, ...run.candidateIds),
    );
    if (!isKnown) proposed.push(run);
  };
  const seconds = secondsATrial(book.runs);
  const planned = planner(book, asked, seconds);
  for (const { id: passageId } of book.passages) {
    for (const claim of claimsOn(book, passageId)) {
      const identity = identityOf(book, passageId, claim.candidateIds);
      if (identity) {
        settled.push({
          passageId,
          candidateIds: claim.candidateIds,
          says: sameSays(book, passageId, claim.candidateIds, identity),
        });
        continue;
      }
      propose(planned.abx(passageId, claim.candidateIds, claim.question, NEXT_RUN.neverBlind));
    }
    for (const d of book.discriminations.filter((one) => one.passageId === passageId)) {
      const after = afterTest(book, d, asked, planned);
      if ("says" in after) settled.push({ passageId, candidateIds: d.candidateIds, says: after.says });
      else if ("run" in after && after.run) propose(after.run);
    }
    for (const liking of book.likings.filter((one) => one.passageId === passageId)) {
      const next = afterLiking(book, liking, planned);
      if (next) propose(next);
    }
  }
  return { waiting, runs: proposed.toSorted((a, b) => a.minutes - b.minutes).slice(0, MOST_SHOWN), settled };
}

/** The median time of a trial in earlier runs here. */
function secondsATrial(runs: readonly Run[]): number {
  const times = runs.flatMap(({ trials }) => trials.map((t) => t.listeningSeconds)).sort((a, b) => a - b);
  return times.length > 0 ? Math.max(1, times[times.length >> 1]) : USUAL_SECONDS;
}

/** The fewest pairings that show a listener who prefers one in `share` of them, with `power`; null where no run may be so long. Exact, two-sided. */
export function roundsNeeded(share: number, power: number): number | null {
  for (let rounds = 2; rounds <= MOST_ROUNDS; rounds++) {
    let wins = rounds;
    while (wins > rounds / 2 && 2 * guessingProbability(wins - 1, rounds) <= SIGNIFICANCE_LEVEL) wins--;
    if (2 * guessingProbability(wins, rounds) <= SIGNIFICANCE_LEVEL && chanceOfAtLeast(wins, rounds, share) >= power)
      return rounds;
  }
  return null;
}

type Planner = {
  abx: (passageId: string, ids: readonly [string, string], question: string, why: string) => NextRun;
  pairs: (passageId: string, ids: readonly [string, string], question: string, why: string) => NextRun;
  trials: number;
};

function planner(book: OpenBook, { effect, power }: Asked, seconds: number): Planner {
  const trials = Math.min(MOST_TRIALS, Math.max(FEWEST_TRIALS, trialsNeeded(effect, power, SIGNIFICANCE_LEVEL).trials));
  const rounds = roundsNeeded(effect, power) ?? MOST_ROUNDS;
  const of =
    (form: NextRun["form"], count: number): Planner["abx"] =>
    (passageId, given, question, why) => {
      const dry = dryOf(book, passageId);
      // The dry one stands Here, as it does everywhere.
      const candidateIds: [string, string] = given[1] === dry ? [given[1], given[0]] : [given[0], given[1]];
      return { passageId, candidateIds, form, count, minutes: Math.ceil((count * seconds) / 60), question, why };
    };
  return { abx: of("abx", trials), pairs: of("pairs", rounds), trials };
}

type Identity = "bit" | "24-bit" | "16-bit";

/** To how many bits two are identical by the figures; null where they are not, or it is not known. */
function identityOf(book: OpenBook, passageId: string, ids: readonly [string, string]): Identity | null {
  const identical = pairOf(book, passageId, ...ids)?.identical ?? sameAsDry(book, passageId, ids);
  return identical === undefined || identical === "no" ? null : identical;
}

/** What is known of the pair from how one stands against the dry one, where the other is that. */
function sameAsDry(book: OpenBook, passageId: string, [a, b]: readonly [string, string]) {
  const dry = dryOf(book, passageId);
  const other = a === dry ? b : b === dry ? a : null;
  return other === null ? undefined : cellOf(book, passageId, other)?.identical;
}

const sameSays = (book: OpenBook, passageId: string, ids: readonly [string, string], is: Identity): string =>
  NEXT_RUN.identical(ids.map(book.titleOf), book.passageTitleOf(passageId), is);

/** What was claimed sighted or as a verdict, and never heard blind. */
function claimsOn(book: OpenBook, passageId: string): { candidateIds: readonly [string, string]; question: string }[] {
  const wasHeard = (id: string) =>
    book.discriminations.some((d) => d.passageId === passageId && d.candidateIds.includes(id)) ||
    book.likings.some((l) => l.passageId === passageId && l.candidateIds.includes(id));
  const dry = dryOf(book, passageId);
  const passage = book.passageTitleOf(passageId);
  const claims: { candidateIds: readonly [string, string]; question: string }[] = [];
  for (const { id } of book.candidates) {
    if (id === dry || findingOf(book, passageId, id)?.verdict !== "first choice" || wasHeard(id) || !dry) continue;
    const question = NEXT_RUN.firstChoice(book.titleOf(id), passage);
    claims.push({ candidateIds: [dry, id], question });
  }
  const last = book.sightedOn(passageId);
  const preferred = last?.preferredId ?? null;
  if (!last || !preferred || wasHeard(preferred)) return claims;
  const rival = last.verdict.heard
    .toSorted((a, b) => b.seconds - a.seconds)
    .map(({ renderId }) => book.candidateOfRender(renderId))
    .find((id) => id !== null && id !== preferred);
  const against = rival ?? (preferred === dry ? null : dry);
  if (!against) return claims;
  const question = NEXT_RUN.sighted(book.titleOf(preferred), passage, book.titleOf(against));
  return [...claims, { candidateIds: [against, preferred], question }];
}

/** What follows a question of whether two differ audibly. */
function afterTest(
  book: OpenBook,
  d: Discrimination,
  { effect, power }: Asked,
  planned: Planner,
): { run: NextRun | null } | { says: string } {
  const { passageId, candidateIds } = d;
  const names = candidateIds.map(book.titleOf);
  const where = book.passageTitleOf(passageId);
  if (d.outcome === "open") {
    // What waits is listed as waiting.
    if (d.runs.some((run) => run.finishedAt === null)) return { run: null };
    const question = NEXT_RUN.leftEarly(names, where);
    return { run: planned.abx(passageId, candidateIds, question, NEXT_RUN.finish) };
  }
  if (d.outcome === "told") {
    const isLiked = book.likings.some(
      (l) =>
        l.passageId === passageId &&
        candidateIds.every((id) => l.candidateIds.includes(id)) &&
        l.preferences.some((p) => p.isWhole),
    );
    if (isLiked) return { run: null };
    const question = NEXT_RUN.whichPreferred(names, where);
    return {
      run: planned.pairs(passageId, candidateIds, question, NEXT_RUN.pairsCheapest),
    };
  }
  const identity = identityOf(book, passageId, candidateIds);
  if (identity) return { says: sameSays(book, passageId, candidateIds, identity) };
  if (d.outcome === "flawed") {
    const question = NEXT_RUN.flawed(names, where, d.flaws);
    return { run: planned.abx(passageId, candidateIds, question, NEXT_RUN.checksPassed) };
  }
  if (d.outcome === "in doubt") {
    return { says: NEXT_RUN.inDoubt(names, where, discriminationScore(d)) };
  }
  const caught = Math.max(...d.tests.map(({ test }) => chanceOfAtLeast(test.rightNeeded, test.trials, effect)));
  const moment = pairOf(book, passageId, ...candidateIds)?.moment;
  if (moment && moment.probability < HARDLY_HEARD) return { says: NEXT_RUN.hardlyHeard(names, where) };
  if (caught >= power) return { says: NEXT_RUN.notShown(names, where, effect, caught) };
  const question = NEXT_RUN.weakRun(names, where, effect, caught);
  return {
    run: planned.abx(passageId, candidateIds, question, NEXT_RUN.power(planned.trials, power)),
  };
}

/** What follows rounds that named nobody: the two with most of it against each other. */
function afterLiking(book: OpenBook, liking: Liking, planned: Planner): NextRun | null {
  const last = liking.preferences.findLast((p) => p.isWhole);
  if (!last || liking.winnerId !== null) return null;
  const values = last.run.result?.kind === "choices" ? last.run.result.tally.picks : gradesOf(last.run);
  const ranked = last.candidateIds
    .flatMap((id, i) => (id === null ? [] : [{ id, value: values[i] }]))
    .toSorted((x, y) => y.value - x.value);
  const [first, second] = ranked;
  if (!first || !second) return null;
  const both: readonly [string, string] = [first.id, second.id];
  // Two alone that were met already are at the end of what rounds can do for them.
  if (ranked.length === 2 && last.run.plan.kind === "pairs") return null;
  const asked = book.discriminations.find((d) => d.passageId === liking.passageId && isPair(d.candidateIds, ...both));
  const where = book.passageTitleOf(liking.passageId);
  const question = liking.mostId
    ? NEXT_RUN.most(book.titleOf(first.id), book.titleOf(second.id), where)
    : NEXT_RUN.noPreference(book.titleOf(first.id), book.titleOf(second.id), where);
  if (asked?.outcome === "not told") return null;
  if (asked?.outcome === "told") return planned.pairs(liking.passageId, both, question, NEXT_RUN.pairsDecide);
  return planned.abx(liking.passageId, both, question, NEXT_RUN.differenceFirst);
}

const gradesOf = (run: Run): number[] =>
  run.result?.kind === "grades" ? (run.result.grading?.figures.map((f) => f.mean) ?? []) : [];
