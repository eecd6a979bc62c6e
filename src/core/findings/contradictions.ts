import type { SightedVerdict } from "../archive/rows";
import { aboveHearingSentence } from "../words/blind";
import { CONTRADICTION } from "../words/findings";
import { discriminationScore, likingScore } from "../words/findings-scores";
import { cellOf, findingOf, type OpenBook, pairOf } from "./book";
import type { Liking } from "./tests";

export const CONTRADICTIONS = [
  "sighted against blind",
  "louder before matching",
  "check overruled",
  "identical and heard",
  "above hearing",
  "passages disagree",
  "runs disagree",
  "verdict against blind",
] as const;

/** Two things that do not go together, where they meet. */
export type Contradiction = {
  kind: (typeof CONTRADICTIONS)[number];
  passageId: string;
  candidateIds: string[];
  says: string;
  /** The runs to be looked at, oldest first. */
  runIds: string[];
};

/** A sighted favourite that had this much more level is named: 0.2 LU tilts a test already (common practice, no published source). */
const TILTING_LU = 0.2;

/** Everything in a comparison that does not go together. */
export function contradictionsIn(book: OpenBook): Contradiction[] {
  return [
    ...sightedAgainstBlind(book),
    ...louderBefore(book),
    ...checkOverruled(book),
    ...identicalAndHeard(book),
    ...aboveHearing(book),
    ...passagesDisagree(book),
    ...runsDisagree(book),
    ...verdictAgainstBlind(book),
  ];
}

/** The last sighted verdict on each passage that preferred something. */
function sightedPreferences(book: OpenBook): { passageId: string; candidateId: string; verdict: SightedVerdict }[] {
  return book.passages.flatMap(({ id }) => {
    const last = book.sightedOn(id);
    return last?.preferredId ? [{ passageId: id, candidateId: last.preferredId, verdict: last.verdict }] : [];
  });
}

const runIdsOf = (liking: Liking): string[] => liking.preferences.map(({ run }) => run.id);
const isWhole = ({ preferences }: Liking): boolean => preferences.some((p) => p.isWhole);

function sightedAgainstBlind(book: OpenBook): Contradiction[] {
  return sightedPreferences(book).flatMap(({ passageId, candidateId, verdict }) => {
    const name = book.titleOf(candidateId);
    const opening = CONTRADICTION.sighted(name, verdict.sure);
    const notShown = book.discriminations
      .filter((d) => d.passageId === passageId && d.candidateIds.includes(candidateId))
      .filter((d) => d.outcome === "not told" || d.outcome === "in doubt")
      .map((d): Contradiction => {
        const other = d.candidateIds[0] === candidateId ? d.candidateIds[1] : d.candidateIds[0];
        return {
          kind: "sighted against blind",
          passageId,
          candidateIds: [...d.candidateIds],
          says: CONTRADICTION.sightedNoDifference(opening, book.titleOf(other), discriminationScore(d)),
          runIds: d.runs.map(({ id }) => id),
        };
      });
    const others = book.likings
      .filter((l) => l.passageId === passageId && l.candidateIds.includes(candidateId) && isWhole(l))
      .filter((l) => l.winnerId !== null && l.winnerId !== candidateId)
      .map((l): Contradiction => {
        const winner = l.winnerId ?? "";
        return {
          kind: "sighted against blind",
          passageId,
          candidateIds: [candidateId, winner],
          says: CONTRADICTION.sightedBehind(opening, book.titleOf(winner), likingScore(l, winner)),
          runIds: runIdsOf(l),
        };
      });
    return [...notShown, ...others];
  });
}

function louderBefore(book: OpenBook): Contradiction[] {
  const sighted = sightedPreferences(book).flatMap(({ passageId, candidateId, verdict }): Contradiction[] => {
    const levelOffset = cellOf(book, passageId, candidateId)?.levelOffset;
    const secondsOf = (id: string, matched: boolean) =>
      verdict.heard
        .filter((h) => h.matched === matched && book.candidateOfRender(h.renderId) === id)
        .reduce((sum, h) => sum + h.seconds, 0);
    // One that was heard at one level for as long was not chosen by its level.
    if (!levelOffset || secondsOf(candidateId, false) <= secondsOf(candidateId, true)) return [];
    const heard = [...new Set(verdict.heard.flatMap(({ renderId }) => book.candidateOfRender(renderId) ?? []))];
    const rivals = heard
      .filter((id) => id !== candidateId && secondsOf(id, false) > 0)
      .flatMap((id) => cellOf(book, passageId, id)?.levelOffset ?? []);
    if (rivals.length === 0) return [];
    const over = levelOffset.value - Math.max(...rivals.map(({ value }) => value));
    if (!(over >= TILTING_LU)) return [];
    return [
      {
        kind: "louder before matching",
        passageId,
        candidateIds: [candidateId],
        says: CONTRADICTION.louder(book.titleOf(candidateId), over, levelOffset.unit),
        runIds: [],
      },
    ];
  });
  return sighted;
}

/** What was shown in spite of a check that was overruled: the result and the check do not go together. */
function checkOverruled(book: OpenBook): Contradiction[] {
  const told = book.discriminations
    .filter((d) => d.outcome === "flawed")
    .map((d): Contradiction => {
      return {
        kind: "check overruled",
        passageId: d.passageId,
        candidateIds: [...d.candidateIds],
        says: CONTRADICTION.overruledDifference(d.candidateIds.map(book.titleOf), d.flaws),
        runIds: d.runs.map(({ id }) => id),
      };
    });
  const liked = book.likings.flatMap((liking): Contradiction[] => {
    if (!liking.flawedWinnerId) return [];
    return [
      {
        kind: "check overruled",
        passageId: liking.passageId,
        candidateIds: [liking.flawedWinnerId],
        says: CONTRADICTION.overruledPreference(book.titleOf(liking.flawedWinnerId), liking.flaws),
        runIds: runIdsOf(liking),
      },
    ];
  });
  return [...told, ...liked];
}

function identicalAndHeard(book: OpenBook): Contradiction[] {
  return book.discriminations.flatMap((d): Contradiction[] => {
    const pair = pairOf(book, d.passageId, ...d.candidateIds);
    if (d.outcome !== "told" || !pair || pair.identical === "no") return [];
    return [
      {
        kind: "identical and heard",
        passageId: d.passageId,
        candidateIds: [...d.candidateIds],
        says: CONTRADICTION.identicalHeard(
          d.candidateIds.map(book.titleOf),
          pair.identical,
          d.listeners,
          discriminationScore(d),
        ),
        runIds: d.runs.map(({ id }) => id),
      },
    ];
  });
}

function aboveHearing(book: OpenBook): Contradiction[] {
  return book.discriminations.flatMap((d) =>
    d.runs.flatMap((run): Contradiction[] => {
      const above = aboveHearingSentence(run.above, run.listener);
      if (!above || run.result?.kind !== "right or wrong") return [];
      const heard = run.result.outcome === "heard";
      return [
        {
          kind: "above hearing",
          passageId: d.passageId,
          candidateIds: [...d.candidateIds],
          says: heard ? CONTRADICTION.aboveHeard(above) : CONTRADICTION.aboveUnheard(above),
          runIds: [run.id],
        },
      ];
    }),
  );
}

function passagesDisagree(book: OpenBook): Contradiction[] {
  const won = book.likings.filter((l) => l.winnerId !== null);
  return won.flatMap((here) =>
    won.flatMap((there): Contradiction[] => {
      const [a, b] = [here.winnerId ?? "", there.winnerId ?? ""];
      const met = there.candidateIds.includes(a) && here.candidateIds.includes(b);
      // Each two once, reported where the first of them loses.
      if (a === b || here.passageId === there.passageId || !met) return [];
      return [
        {
          kind: "passages disagree",
          passageId: there.passageId,
          candidateIds: [a, b],
          says: CONTRADICTION.passages(
            book.titleOf(a),
            book.passageTitleOf(here.passageId),
            likingScore(here, a),
            book.titleOf(b),
            likingScore(there, b),
          ),
          runIds: [...runIdsOf(here), ...runIdsOf(there)],
        },
      ];
    }),
  );
}

function runsDisagree(book: OpenBook): Contradiction[] {
  return book.likings.flatMap((liking): Contradiction[] => {
    const winners = [...new Set(liking.preferences.flatMap(({ winnerId }) => winnerId ?? []))];
    if (winners.length < 2) return [];
    return [
      {
        kind: "runs disagree",
        passageId: liking.passageId,
        candidateIds: winners,
        says: CONTRADICTION.runs(winners.map(book.titleOf)),
        runIds: runIdsOf(liking),
      },
    ];
  });
}

function verdictAgainstBlind(book: OpenBook): Contradiction[] {
  const found: Contradiction[] = [];
  for (const { passageId, winnerId, candidateIds, ...rest } of book.likings) {
    if (!winnerId) continue;
    for (const id of candidateIds) {
      if (id === winnerId || findingOf(book, passageId, id)?.verdict !== "first choice") continue;
      found.push({
        kind: "verdict against blind",
        passageId,
        candidateIds: [id, winnerId],
        says: CONTRADICTION.verdictBehind(
          book.titleOf(id),
          book.titleOf(winnerId),
          likingScore({ passageId, winnerId, candidateIds, ...rest }, winnerId),
        ),
        runIds: runIdsOf({ passageId, winnerId, candidateIds, ...rest }),
      });
    }
  }
  for (const d of book.discriminations) {
    if (d.outcome !== "not told" && d.outcome !== "in doubt") continue;
    const [first, second] = d.candidateIds.map((id) => findingOf(book, d.passageId, id)?.verdict ?? null);
    const dryDifference = [first, second].includes("first choice") && [first, second].includes("not this");
    if (!dryDifference) continue;
    found.push({
      kind: "verdict against blind",
      passageId: d.passageId,
      candidateIds: [...d.candidateIds],
      says: CONTRADICTION.verdictNoDifference(d.candidateIds.map(book.titleOf), discriminationScore(d)),
      runIds: d.runs.map(({ id }) => id),
    });
  }
  return found;
}

/** Those that are shown in one cell of the matrix. */
export const contradictionsAt = (
  all: readonly Contradiction[],
  passageId: string,
  candidateId: string,
): Contradiction[] => all.filter((c) => c.passageId === passageId && c.candidateIds.includes(candidateId));
