import { EVIDENCE } from "../words/findings";
import { discriminationScore, likingScore } from "../words/findings-scores";
import type { OpenBook } from "./book";
import type { Liking } from "./tests";

export const WAYS_OF_KNOWING = [
  "ABX",
  "same or different",
  "favourites",
  "two at a time",
  "rating",
  "sighted",
] as const;

/** One thing that is known of a candidate on a passage, and how. */
export type Evidence = {
  how: (typeof WAYS_OF_KNOWING)[number];
  /** "difference from Dry shown", "ahead of Bus". */
  says: string;
  /** The score with its odds, as far as there are any. */
  score: string;
  /** Whether it shows something, shows nothing, or decides nothing. */
  state: "shown" | "not shown" | "open" | "said";
  listeners: number;
  /** The runs, or the sighted verdict, that it rests on. */
  runIds: string[];
  sightedId: string | null;
};

/** What was only shown in spite of overruled checks decides nothing. */
const STATES = {
  told: "shown",
  flawed: "open",
  "not told": "not shown",
  "in doubt": "not shown",
  open: "open",
} as const;

/** What is known of one candidate on one passage, the strongest first. Nothing here is a verdict. */
export function evidenceFor(book: OpenBook, passageId: string, candidateId: string): Evidence[] {
  const all = [
    ...likingEvidence(book, passageId, candidateId),
    ...discriminationEvidence(book, passageId, candidateId),
    ...sightedEvidence(book, passageId, candidateId),
  ];
  const order = { shown: 0, "not shown": 1, open: 2, said: 3 };
  return all.toSorted((a, b) => order[a.state] - order[b.state]);
}

function discriminationEvidence(book: OpenBook, passageId: string, candidateId: string): Evidence[] {
  return book.discriminations
    .filter((d) => d.passageId === passageId && d.candidateIds.includes(candidateId))
    .map((d) => {
      const other = book.titleOf(d.candidateIds[0] === candidateId ? d.candidateIds[1] : d.candidateIds[0]);
      const kinds = new Set(d.runs.map(({ plan }) => plan.kind));
      return {
        how: kinds.has("abx") ? "ABX" : "same or different",
        says:
          d.outcome === "told"
            ? EVIDENCE.difference(other)
            : d.outcome === "open"
              ? EVIDENCE.open([other])
              : d.outcome === "flawed"
                ? EVIDENCE.flawedDifference(other, d.flaws)
                : EVIDENCE.noDifference(other),
        score: discriminationScore(d),
        state: STATES[d.outcome],
        listeners: d.listeners,
        runIds: d.runs.map(({ id }) => id),
        sightedId: null,
      } satisfies Evidence;
    });
}

const HOW = { favourite: "favourites", pairs: "two at a time", rating: "rating" } as const;

function likingSays(book: OpenBook, liking: Liking, candidateId: string): Pick<Evidence, "says" | "state"> {
  const others = liking.candidateIds.filter((id) => id !== candidateId).map(book.titleOf);
  if (liking.preferences.every(({ isWhole }) => !isWhole)) return { says: EVIDENCE.open(others), state: "open" };
  if (liking.winnerId === candidateId) return { says: EVIDENCE.ahead(others), state: "shown" };
  if (liking.winnerId) return { says: EVIDENCE.behind(book.titleOf(liking.winnerId)), state: "shown" };
  const flawed = liking.flawedWinnerId;
  if (flawed !== null) {
    const ahead = flawed === candidateId ? EVIDENCE.ahead(others) : EVIDENCE.behind(book.titleOf(flawed));
    return { says: EVIDENCE.flawed(ahead, liking.flaws), state: "open" };
  }
  if (liking.mostId === candidateId) return { says: EVIDENCE.most(others), state: "not shown" };
  if (liking.mostId)
    return {
      says: EVIDENCE.otherMost(book.titleOf(liking.mostId)),
      state: "not shown",
    };
  return { says: EVIDENCE.noPreference(others), state: "not shown" };
}

function likingEvidence(book: OpenBook, passageId: string, candidateId: string): Evidence[] {
  return book.likings
    .filter((l) => l.passageId === passageId && l.candidateIds.includes(candidateId))
    .map((liking) => {
      const kinds = [...new Set(liking.preferences.map(({ run }) => run.plan.kind))];
      return {
        how: HOW[kinds[0] as keyof typeof HOW],
        ...likingSays(book, liking, candidateId),
        score: likingScore(liking, candidateId),
        listeners: liking.listeners,
        runIds: liking.preferences.map(({ run }) => run.id),
        sightedId: null,
      } satisfies Evidence;
    });
}

function sightedEvidence(book: OpenBook, passageId: string, candidateId: string): Evidence[] {
  const last = book.sightedOn(passageId);
  if (!last) return [];
  const { verdict, preferredId: preferred } = last;
  const heard = verdict.heard.some(({ renderId }) => book.candidateOfRender(renderId) === candidateId);
  if (preferred !== candidateId && !heard) return [];
  return [
    {
      how: "sighted",
      says:
        preferred === candidateId
          ? EVIDENCE.sighted
          : preferred === null
            ? EVIDENCE.noSighted
            : EVIDENCE.lessLiked(book.titleOf(preferred)),
      score: EVIDENCE.sure(verdict.sure),
      state: "said",
      listeners: 1,
      runIds: [],
      sightedId: verdict.id,
    },
  ];
}
