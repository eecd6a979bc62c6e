import { flawWords } from "../blind/flaws";
import { chanceOfAtLeast, guessingProbability, trialsNeeded } from "../blind/odds";
import { FEWEST_TRIALS, MOST_ROUNDS, MOST_TRIALS, SIGNIFICANCE_LEVEL } from "../blind/plan";
import type { Run } from "../blind/run";
import { IDENTICAL_WORDS } from "../words/identity";
import { cellOf, dryOf, findingOf, isPair, type OpenBook, pairOf } from "./book";
import { type Discrimination, discriminationScore, type Liking } from "./tests";

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

/** What is worth catching: the share of trials a listener is right in, and how surely such a one should be caught. */
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
      propose(
        planned.abx(
          passageId,
          claim.candidateIds,
          claim.question,
          "Nobody has heard the two against each other blind.",
        ),
      );
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

/** The fewest meetings of two in which one who likes one of them in `share` of them is shown to, in `power` of cases; null where no run may be so long. Exact, two-sided. */
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

/** To how many bits two are identical by the figures; null where they are not, or it is not known. */
function identityOf(book: OpenBook, passageId: string, ids: readonly [string, string]): keyof typeof NO_RUN | null {
  const identical = pairOf(book, passageId, ...ids)?.identical ?? sameAsDry(book, passageId, ids);
  return identical === undefined || identical === "no" ? null : identical;
}

/** What a run over two can show that are identical to so many bits. */
const NO_RUN = {
  bit: "no run can show a difference",
  "24-bit": "a difference of one step of 24 bits (−138 dBFS) is under the noise of any converter",
  "16-bit": "all that a run could show is one step of 16 bits (−90 dBFS)",
} as const;

/** What is known of the pair from how one stands against the dry one, where the other is that. */
function sameAsDry(book: OpenBook, passageId: string, [a, b]: readonly [string, string]) {
  const dry = dryOf(book, passageId);
  const other = a === dry ? b : b === dry ? a : null;
  return other === null ? undefined : cellOf(book, passageId, other)?.identical;
}

const sameSays = (book: OpenBook, passageId: string, [a, b]: readonly [string, string], is: keyof typeof NO_RUN) =>
  `${book.titleOf(a)} and ${book.titleOf(b)} on ${book.passageTitleOf(passageId)} are ${IDENTICAL_WORDS[is]}: ${NO_RUN[is]}.`;

/** What was claimed with open eyes or as a verdict, and never heard blind. */
function claimsOn(book: OpenBook, passageId: string): { candidateIds: readonly [string, string]; question: string }[] {
  const wasHeard = (id: string) =>
    book.discriminations.some((d) => d.passageId === passageId && d.candidateIds.includes(id)) ||
    book.likings.some((l) => l.passageId === passageId && l.candidateIds.includes(id));
  const dry = dryOf(book, passageId);
  const passage = book.passageTitleOf(passageId);
  const claims: { candidateIds: readonly [string, string]; question: string }[] = [];
  for (const { id } of book.candidates) {
    if (id === dry || findingOf(book, passageId, id)?.verdict !== "first choice" || wasHeard(id) || !dry) continue;
    const question = `Your first choice on ${passage} is ${book.titleOf(id)}. Does it differ audibly from dry?`;
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
  const question = `With names in sight ${book.titleOf(preferred)} was preferred on ${passage}. Does it differ audibly from ${book.titleOf(against)}?`;
  return [...claims, { candidateIds: [against, preferred], question }];
}

/** What follows a question of whether two can be told apart. */
function afterTest(
  book: OpenBook,
  d: Discrimination,
  { effect, power }: Asked,
  planned: Planner,
): { run: NextRun | null } | { says: string } {
  const { passageId, candidateIds } = d;
  const [a, b] = candidateIds.map(book.titleOf);
  const where = book.passageTitleOf(passageId);
  if (d.outcome === "open") {
    // What waits is told as waiting.
    if (d.runs.some((run) => run.finishedAt === null)) return { run: null };
    const question = `${a} and ${b} on ${where}: the run was left early and decides nothing.`;
    return { run: planned.abx(passageId, candidateIds, question, "Taken to its end it decides.") };
  }
  if (d.outcome === "told") {
    const isLiked = book.likings.some(
      (l) =>
        l.passageId === passageId &&
        candidateIds.every((id) => l.candidateIds.includes(id)) &&
        l.preferences.some((p) => p.isWhole),
    );
    if (isLiked) return { run: null };
    const question = `${a} and ${b} on ${where} differ audibly. Which is preferred?`;
    return {
      run: planned.pairs(passageId, candidateIds, question, "Two at a time costs least where only two are left."),
    };
  }
  const identity = identityOf(book, passageId, candidateIds);
  if (identity) return { says: sameSays(book, passageId, candidateIds, identity) };
  if (d.outcome === "flawed") {
    const question = `${a} and ${b} on ${where}: a difference was shown only ${flawWords(d.flaws)}.`;
    return { run: planned.abx(passageId, candidateIds, question, "With every check passed, a run decides.") };
  }
  if (d.outcome === "in doubt") {
    const question = `${a} and ${b} on ${where}: ${discriminationScore(d)}.`;
    return {
      says: `${question} Every further run makes a lucky one likelier: state beforehand how many are judged together, as a series, or leave it.`,
    };
  }
  const caught = Math.max(...d.tests.map(({ test }) => chanceOfAtLeast(test.rightNeeded, test.trials, effect)));
  const percent = (share: number) => `${Math.round(100 * share)} %`;
  const moment = pairOf(book, passageId, ...candidateIds)?.moment;
  if (moment && moment.probability < HARDLY_HEARD)
    return {
      says: `${a} and ${b} on ${where}: no difference shown, and by estimate it is not likely to be heard anywhere. More trials will hardly help.`,
    };
  if (caught >= power)
    return {
      says: `${a} and ${b} on ${where}: no difference shown, in a run that detects ${percent(effect)} correct with power ${percent(caught)}. More trials would only look for a smaller difference; another passage may show more.`,
    };
  const question = `${a} and ${b} on ${where}: no difference shown, in a run that detects ${percent(effect)} correct with power only ${percent(caught)}.`;
  return {
    run: planned.abx(passageId, candidateIds, question, `${planned.trials} trials have power ${percent(power)}.`),
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
  const isTold = book.discriminations.find((d) => d.passageId === liking.passageId && isPair(d.candidateIds, ...both));
  const where = book.passageTitleOf(liking.passageId);
  const question = liking.mostId
    ? `${book.titleOf(first.id)} was picked most often on ${where}, not significantly ahead of ${book.titleOf(second.id)}.`
    : `No preference was shown on ${where}; ${book.titleOf(first.id)} and ${book.titleOf(second.id)} were picked most often.`;
  if (isTold?.outcome === "not told") return null;
  if (isTold?.outcome === "told")
    return planned.pairs(liking.passageId, both, question, "Two at a time shows which is preferred.");
  return planned.abx(
    liking.passageId,
    both,
    question,
    "Where no difference is heard, none can be preferred: that comes first.",
  );
}

const gradesOf = (run: Run): number[] =>
  run.result?.kind === "grades" ? (run.result.grading?.figures.map((f) => f.mean) ?? []) : [];
