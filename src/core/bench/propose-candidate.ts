import type { Candidate } from "../archive/rows";
import { namesTitle, wordsOf } from "../sorting/names";
import type { BenchKind } from "./kind/kind";
import type { BenchReport } from "./report";

/** A candidate that a recording may belong to, and what speaks for it. */
export type Proposal = { candidateId: string; byName: boolean; byKind: boolean };

const KINDS: Partial<Record<Candidate["kind"], readonly BenchKind[]>> = {
  equalizer: ["equalizer", "dynamicEq", "allPass"],
  compressor: ["compressor", "multiband", "deEsser", "expander", "gate"],
  limiter: ["limiter", "compressor", "clipper"],
  saturator: ["saturator", "clipper"],
};

/**
 * Which candidate from outside a recording may have come from, by its file's name and by what it measures; null where nothing speaks for one more than for
 * others. Nothing is decided here: a person confirms.
 */
export function proposedCandidate(
  fileName: string,
  report: Pick<BenchReport, "kind">,
  candidates: readonly Pick<Candidate, "id" | "title" | "kind">[],
): Proposal | null {
  const words = new Set(wordsOf(fileName));
  const rated = candidates.map(({ id, title, kind }) => {
    const own = wordsOf(title);
    const shared = own.filter((word) => words.has(word)).length;
    const byName = namesTitle(fileName, title) || (own.length > 0 && shared / own.length >= MOST_WORDS);
    const byKind = KINDS[kind]?.includes(report.kind.name) ?? false;
    return { candidateId: id, byName, byKind, score: (byName ? 2 : 0) + shared + (byKind ? 1 : 0) };
  });
  const [best, next] = rated.toSorted((a, b) => b.score - a.score);
  if (!best || best.score === 0 || (next && next.score === best.score)) return null;
  return {
    candidateId: best.candidateId,
    byName: best.byName || best.score - (best.byKind ? 1 : 0) > 0,
    byKind: best.byKind,
  };
}
/** A title is named whose words are there for the most part. */
const MOST_WORDS = 0.6;
