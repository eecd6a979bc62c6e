import type { Candidate, Finding, Passage, SightedVerdict } from "../archive/rows";
import type { Moment } from "../audibility/heard";
import type { Run } from "../blind/run";
import type { PairFigures } from "../difference/pair";
import { type CandidateOf, claimsOf } from "./tests";

/** What the figures say of one render: how it stands against the dry one of its passage. Undefined is not worked out yet, null has no figure. */
export type CellFacts = {
  passageId: string;
  candidateId: string;
  renderId: string;
  isDry: boolean;
  /** By how much its level favoured it before matching, over the dry one. */
  levelOffset: { value: number; unit: "LU" | "dB" } | null | undefined;
  nullDb: number | null | undefined;
  identical: PairFigures["identical"] | undefined;
  /** What sets it apart, in sentences and in a few words; undefined where it was not explained. */
  dryDifference: DryDifference | undefined;
  /** What happened to its peaks, in a few words. */
  dynamics: string | null | undefined;
};

export type DryDifference = { sentence: string; main: string };

/** What the figures say of two renders that were heard against each other. */
export type PairFacts = Pick<PairFigures, "identical" | "nullDb"> & {
  passageId: string;
  candidateIds: readonly [string, string];
  /** Where their difference stands out most, by estimate; undefined where that was not looked at. */
  moment?: Moment | null;
};

/** All that a comparison's findings are made of, as plain data. */
export type Book = {
  passages: readonly Pick<Passage, "id" | "title" | "dryRenderId">[];
  candidates: readonly Pick<Candidate, "id" | "title" | "kind" | "hidden">[];
  cells: readonly CellFacts[];
  pairs: readonly PairFacts[];
  runs: readonly Run[];
  sighted: readonly SightedVerdict[];
  findings: readonly Finding[];
  /** What the bench reported of a candidate, by its id: as many sentences as stand on a page. */
  bench: ReadonlyMap<string, readonly string[]>;
};

/** Which candidate the renders of a comparison were of, also where a run names one that is gone but whose content is here. */
export function candidateByRender(
  renders: readonly { id: string; passageId: string; candidateId: string; audioHash: string }[],
): CandidateOf {
  const byId = new Map(renders.map((r) => [r.id, r.candidateId]));
  const byHash = new Map(renders.map((r) => [r.audioHash, r.candidateId]));
  return ({ renderId, audioHash, role }) =>
    role === "anchor" ? null : (byId.get(renderId) ?? byHash.get(audioHash) ?? null);
}

/** The book with what its blind runs come to. */
export function openBook(book: Book, candidateOf: CandidateOf) {
  const titles = new Map(book.candidates.map(({ id, title }) => [id, title]));
  const passages = new Map(book.passages.map(({ id, title }) => [id, title]));
  const candidateOfRender = (renderId: string): string | null =>
    book.cells.find((cell) => cell.renderId === renderId)?.candidateId ?? null;
  const latest = new Map<string, SightedVerdict>();
  for (const verdict of book.sighted.toSorted((a, b) => a.createdAt.localeCompare(b.createdAt)))
    latest.set(verdict.passageId, verdict);
  return {
    ...book,
    candidateOf,
    titleOf: (candidateId: string): string => titles.get(candidateId) ?? "a deleted candidate",
    passageTitleOf: (passageId: string): string => passages.get(passageId) ?? "a deleted passage",
    candidateOfRender,
    /** The last verdict on a passage with names in sight, and whom it preferred; null where none was given. */
    sightedOn: (passageId: string): { verdict: SightedVerdict; preferredId: string | null } | null => {
      const verdict = latest.get(passageId);
      return verdict
        ? { verdict, preferredId: verdict.renderId === null ? null : candidateOfRender(verdict.renderId) }
        : null;
    },
    ...claimsOf(book.runs, candidateOf),
  };
}
export type OpenBook = ReturnType<typeof openBook>;

export const cellOf = (book: Pick<Book, "cells">, passageId: string, candidateId: string): CellFacts | undefined =>
  book.cells.find((cell) => cell.passageId === passageId && cell.candidateId === candidateId);

export const findingOf = (book: Pick<Book, "findings">, passageId: string | null, candidateId: string) =>
  book.findings.find((f) => f.passageId === passageId && f.candidateId === candidateId);

/** The dry candidate of a passage; undefined where its render is gone. */
export const dryOf = (book: Pick<Book, "cells">, passageId: string): string | undefined =>
  book.cells.find((cell) => cell.passageId === passageId && cell.isDry)?.candidateId;

export const isPair = (ids: readonly [string, string], a: string, b: string): boolean =>
  (ids[0] === a && ids[1] === b) || (ids[0] === b && ids[1] === a);

export const pairOf = (book: Pick<Book, "pairs">, passageId: string, a: string, b: string): PairFacts | undefined =>
  book.pairs.find((pair) => pair.passageId === passageId && isPair(pair.candidateIds, a, b));
