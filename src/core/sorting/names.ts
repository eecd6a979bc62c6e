/** A file whose name holds one of these words is offered as the dry one; the person still sees and confirms it. */
const DRY_WORDS = /^(dry|original|source|unprocessed|bypass|bypassed)$/i;

export const DRY_TITLE = "Dry";

/** A file's name without its ending. */
export const stemOf = (fileName: string): string => fileName.replace(/\.[a-z0-9]{1,4}$/i, "") || fileName;

/** A name cut where people put spaces, dashes, underscores and dots. "v1.2" stays whole, so does "4.5". */
export const wordsOf = (fileName: string): string[] =>
  stemOf(fileName)
    .split(/[\s_,;()[\]+-]+|(?<!\d)\.|\.(?!\d)/)
    .filter((word) => word.length > 0);

export const saysDry = (fileName: string): boolean => wordsOf(fileName).some((word) => DRY_WORDS.test(word));

const same = (a: string) => (b: string) => a.toLowerCase() === b.toLowerCase();

/** Words that every one of the names holds, in the order of the first. */
export function commonWords(fileNames: readonly string[]): string[] {
  const [first, ...others] = fileNames.map(wordsOf);
  return (first ?? []).filter((word) => !DRY_WORDS.test(word) && others.every((words) => words.some(same(word))));
}

/** "hand drums" as "Hand drums". */
const titled = (words: readonly string[]): string => {
  const text = words.join(" ");
  return text ? text[0].toUpperCase() + text.slice(1) : "";
};

/** What the files of one passage have in common in their names, less what all files of the batch have; else null. */
export function passageTitleOf(group: readonly string[], batch: readonly string[]): string | null {
  const everywhere = group.length === batch.length ? [] : commonWords(batch);
  const words = commonWords(group).filter((word) => !everywhere.some(same(word)));
  return titled(words) || null;
}

/**
 * What remains of a file's name once the words of its passage and of the whole batch are taken out: the candidate. The whole
 * stem where nothing is left; "Dry" where it says so.
 */
export function candidateTitleOf(fileName: string, shared: readonly string[]): string {
  const left = wordsOf(fileName).filter((word) => !shared.some(same(word)));
  if (left.length > 0 && left.every((word) => DRY_WORDS.test(word))) return DRY_TITLE;
  return left.join(" ") || stemOf(fileName);
}

/** Whether a name holds all words of a title. */
export const namesTitle = (fileName: string, title: string): boolean => {
  const words = wordsOf(fileName);
  const wanted = wordsOf(title);
  return wanted.length > 0 && wanted.every((word) => words.some(same(word)));
};
