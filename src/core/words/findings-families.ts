import type { Candidate } from "../archive/rows";
import { isPair, type OpenBook } from "../findings/book";
import type { Discrimination } from "../findings/tests";
import { flawWords } from "./blind";
import { discriminationScore, likingScore } from "./findings-scores";
import { listed } from "./units";

type Kind = Candidate["kind"];

const NOT_YET = "No blind run yet";

/** Families of candidates, in the plural. */
export const FAMILY_WORDS: Record<Kind, string> = {
  equalizer: "equalizers",
  compressor: "compressors",
  limiter: "limiters",
  saturator: "saturators",
  chain: "chains",
  converter: "converters",
  outboard: "outboard",
  format: "formats",
  other: "others",
};

/** `isHeard`: whether anything of it was heard, blind or sighted. */
export type FamilySentence = { kind: Kind; candidateIds: string[]; says: string; isHeard: boolean };

/** One sentence for each family of candidates, made of what blind runs show; where there are none, of the sighted verdict, which is named as that. */
export function familySentences(book: OpenBook): FamilySentence[] {
  const dry = new Set(book.cells.filter((cell) => cell.isDry).map(({ candidateId }) => candidateId));
  const members = book.candidates.filter(({ id, hidden }) => !hidden && !dry.has(id));
  const kinds = [...new Set(members.map(({ kind }) => kind))];
  return kinds.map((kind) => {
    const candidateIds = members.filter((m) => m.kind === kind).map(({ id }) => id);
    const says = sentenceOf(book, candidateIds, dry);
    return { kind, candidateIds, says: says ?? `${NOT_YET}.`, isHeard: says !== null };
  });
}

function sentenceOf(book: OpenBook, ids: readonly string[], dry: ReadonlySet<string>): string | null {
  const parts = book.passages.flatMap(({ id, title }) => {
    const said = onPassage(book, id, ids, dry);
    return said.length > 0 ? [`${title}: ${said.join("; ")}.`] : [];
  });
  if (parts.length > 0) return parts.join(" ");
  return sightedSentence(book, ids);
}

/** What is known of a family on one passage, blind. */
function onPassage(book: OpenBook, passageId: string, ids: readonly string[], dry: ReadonlySet<string>): string[] {
  const isOwn = (id: string) => ids.includes(id);
  const said: string[] = [];
  for (const liking of book.likings.filter((l) => l.passageId === passageId && l.candidateIds.some(isOwn))) {
    const { winnerId, mostId, flawedWinnerId, candidateIds, preferences } = liking;
    if (preferences.every(({ isWhole }) => !isWhole)) continue;
    const others = (id: string | null) => listed(candidateIds.filter((c) => c !== id).map(book.titleOf));
    if (winnerId && isOwn(winnerId))
      said.push(`${book.titleOf(winnerId)} is ahead of ${others(winnerId)} (${likingScore(liking, winnerId)})`);
    else if (winnerId) said.push(`${book.titleOf(winnerId)}, of another family, is ahead of ${others(winnerId)}`);
    else if (flawedWinnerId)
      said.push(`${book.titleOf(flawedWinnerId)} was ahead only ${flawWords(liking.flaws)}, so nothing is decided`);
    else if (mostId && !isOwn(mostId))
      said.push(
        `${book.titleOf(mostId)}, of another family, was picked most often, not significantly ahead of every other`,
      );
    else if (mostId)
      said.push(
        `${book.titleOf(mostId)} was picked most often (${likingScore(liking, mostId)}), not significantly ahead of every other`,
      );
    else said.push(`no preference was shown among ${listed(candidateIds.map(book.titleOf))}`);
  }
  const within = book.discriminations.filter(
    (d) => d.passageId === passageId && d.candidateIds.every(isOwn) && d.outcome !== "open",
  );
  const shown = within.filter((d) => d.outcome === "told");
  const flawed = within.filter((d) => d.outcome === "flawed");
  const notShown = within.filter((d) => d.outcome === "not told" || d.outcome === "in doubt");
  for (const d of shown) said.push(`a difference between ${namesOf(book, d)} was shown (${discriminationScore(d)})`);
  for (const d of flawed) said.push(`whether ${namesOf(book, d)} differ is not decided (${discriminationScore(d)})`);
  if (notShown.length > 0) {
    const everyPair = ids.every((a, i) =>
      ids.slice(i + 1).every((b) => notShown.some((d) => isPair(d.candidateIds, a, b))),
    );
    said.push(
      ids.length > 1 && everyPair
        ? `no difference ${ids.length === 2 ? "between the two" : "between any two of them"} was shown (${notShown.map(discriminationScore).join("; ")})`
        : notShown
            .map((d) => `no difference between ${namesOf(book, d)} was shown (${discriminationScore(d)})`)
            .join("; "),
    );
  }
  const fromDry = book.discriminations.filter(
    (d) =>
      d.passageId === passageId &&
      d.outcome !== "open" &&
      d.candidateIds.some(isOwn) &&
      d.candidateIds.some((id) => dry.has(id)),
  );
  for (const d of fromDry) {
    const own = d.candidateIds.find(isOwn) ?? "";
    said.push(
      d.outcome === "told"
        ? `a difference between ${book.titleOf(own)} and dry was shown (${discriminationScore(d)})`
        : d.outcome === "flawed"
          ? `whether ${book.titleOf(own)} differs from dry is not decided (${discriminationScore(d)})`
          : `no difference between ${book.titleOf(own)} and dry was shown (${discriminationScore(d)})`,
    );
  }
  return said;
}

const namesOf = (book: OpenBook, { candidateIds }: Discrimination): string => listed(candidateIds.map(book.titleOf));

/** The sighted verdict, where nothing was heard blind. */
function sightedSentence(book: OpenBook, ids: readonly string[]): string | null {
  const said = book.passages.flatMap(({ id, title }) => {
    const candidateId = book.sightedOn(id)?.preferredId;
    return candidateId && ids.includes(candidateId) ? [`${book.titleOf(candidateId)} on ${title}`] : [];
  });
  return said.length > 0
    ? `${NOT_YET}. Sighted, ${listed(said)} ${said.length === 1 ? "was" : "were"} preferred.`
    : null;
}
