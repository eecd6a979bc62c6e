import { likenessOf } from "./likeness";
import { candidateTitleOf, commonWords, namesTitle, passageTitleOf, saysDry, stemOf } from "./names";
import type { Signature } from "./signature";

/**
 * Set by trial on 18 of Debian's recordings, each equalized, compressed 10:1, limited, clipped by 18 dB, coded at 64 kbit/s, and
 * late and inverted, against all the others (docs/figures.md): strangers reached 0.52 at most, their own passage 0.48 at least
 * and was always the best.
 */
const SURE_LIKENESS = 0.6;
const SURE_LEAD = 0.1;
/** Under this a sound is like nothing here. */
const GUESS_LIKENESS = 0.4;

export type SortingFile = { id: string; name: string; signature: Signature };
export type KnownPassage = { id: string; title: string; signature: Signature };

/** Where one file belongs, or is guessed to. */
export type SortedFile = {
  id: string;
  /** A known passage's id, or the id of one of `newPassages`; null when nothing can be guessed. */
  passageId: string | null;
  candidateTitle: string;
  /** 0 to 1: how alike it is to the passage named. */
  likeness: number;
  /** Why it waits to be placed by hand; null when it is sure. */
  doubt: string | null;
};

export type NewPassage = { id: string; title: string; dryFileId: string | null };
export type Sorting = { files: SortedFile[]; newPassages: NewPassage[] };

type Ranked = { passage: KnownPassage; likeness: number }[];

const percent = (likeness: number): string => `${Math.round(likeness * 100)} %`;

function rankingOf(file: SortingFile, passages: readonly KnownPassage[]): Ranked {
  return passages
    .map((passage) => ({ passage, likeness: likenessOf(passage.signature, file.signature) }))
    .sort((a, b) => b.likeness - a.likeness);
}

function isSure([best, second]: Ranked): boolean {
  if (!best) return false;
  return best.likeness >= SURE_LIKENESS && best.likeness - (second?.likeness ?? 0) >= SURE_LEAD;
}

function doubtOf([best, second]: Ranked, named: KnownPassage | undefined): string {
  if (!best || best.likeness < GUESS_LIKENESS) {
    return named ? `No passage matches its sound; its name says ${named.title}.` : "No passage matches its sound.";
  }
  const lead = best.likeness - (second?.likeness ?? 0);
  if (second && lead < SURE_LEAD) {
    return `Matches ${best.passage.title} (${percent(best.likeness)}) and nearly as well ${second.passage.title} (${percent(second.likeness)}).`;
  }
  return `Only a ${percent(best.likeness)} match with ${best.passage.title}.`;
}

/** Strangers among themselves: each joins the first group it is surely like, or begins one. Dry ones begin. */
function grouped(files: readonly SortingFile[]): SortingFile[][] {
  const groups: SortingFile[][] = [];
  for (const file of files.toSorted((a, b) => Number(saysDry(b.name)) - Number(saysDry(a.name)))) {
    const scored = groups
      .map((group) => ({ group, likeness: likenessOf(group[0].signature, file.signature) }))
      .sort((a, b) => b.likeness - a.likeness);
    const [best] = scored;
    if (best && best.likeness >= SURE_LIKENESS) best.group.push(file);
    else groups.push([file]);
  }
  return groups;
}

function dryOf(group: readonly SortingFile[]): string | null {
  const named = group.filter((file) => saysDry(file.name));
  if (named.length === 1) return named[0].id;
  return group.length === 1 ? group[0].id : null;
}

/**
 * Sorts files by their sound: each to the known passage it moves like, strangers into new passages among themselves. What is not
 * sure says why. Names come in only to title new passages and candidates, and as a guess where the sound gives none.
 * `files` are in the order they came; `progress` is called with the share done.
 */
export function sortFiles(
  files: readonly SortingFile[],
  passages: readonly KnownPassage[],
  progress: (share: number) => void = () => {},
): Sorting {
  const batch = files.map((f) => f.name);
  const everywhere = files.length > 1 ? commonWords(batch) : [];
  const sorted = new Map<string, SortedFile>();
  const strangers: { file: SortingFile; ranking: Ranked }[] = [];
  files.forEach((file, i) => {
    progress(i / (2 * files.length));
    const ranking = rankingOf(file, passages);
    if (isSure(ranking)) {
      const [{ passage, likeness }] = ranking;
      const shared = [...everywhere, ...commonWords([passage.title])];
      const candidateTitle = candidateTitleOf(file.name, shared);
      sorted.set(file.id, { id: file.id, passageId: passage.id, candidateTitle, likeness, doubt: null });
    } else strangers.push({ file, ranking });
  });
  // What is like a known passage, only not surely, is no stranger to it: it waits, and begins no passage of its own.
  const unsure = strangers.filter(({ ranking }) => (ranking[0]?.likeness ?? 0) >= GUESS_LIKENESS);
  const foreign = strangers.filter((s) => !unsure.includes(s));
  const newPassages: NewPassage[] = [];
  progress(0.5);
  const groups = grouped(foreign.map((s) => s.file));
  groups.forEach((group, g) => {
    progress(0.5 + g / (2 * groups.length));
    const alone = group.length === 1 && files.length > 1;
    const id = `new ${newPassages.length + 1}`;
    const named = passages.find((p) => namesTitle(group[0].name, p.title));
    if (alone && passages.length > 0) {
      unsure.push({ file: group[0], ranking: rankingOf(group[0], named ? [named] : []) });
      return;
    }
    const title = passageTitleOf(
      group.map((f) => f.name),
      batch,
    );
    newPassages.push({
      id,
      title: title ?? (group.length === 1 ? stemOf(group[0].name) : `Passage ${passages.length + g + 1}`),
      dryFileId: dryOf(group),
    });
    const shared = [...everywhere, ...(group.length > 1 ? commonWords(group.map((f) => f.name)) : [])];
    for (const file of group) {
      const likeness = file === group[0] ? 1 : likenessOf(group[0].signature, file.signature);
      const doubt = alone ? "No other file matches its sound: a new passage, or a stray." : null;
      const candidateTitle = candidateTitleOf(file.name, shared);
      sorted.set(file.id, { id: file.id, passageId: id, candidateTitle, likeness, doubt });
    }
  });
  for (const { file, ranking } of unsure) {
    const named = passages.find((p) => namesTitle(file.name, p.title));
    const guess = (ranking[0]?.likeness ?? 0) >= GUESS_LIKENESS ? ranking[0].passage : named;
    const shared = [...everywhere, ...(guess ? commonWords([guess.title]) : [])];
    sorted.set(file.id, {
      id: file.id,
      passageId: guess?.id ?? null,
      candidateTitle: candidateTitleOf(file.name, shared),
      likeness: ranking[0]?.likeness ?? 0,
      doubt: doubtOf(ranking, named),
    });
  }
  progress(1);
  return { files: files.map((f) => sorted.get(f.id) as SortedFile), newPassages };
}
