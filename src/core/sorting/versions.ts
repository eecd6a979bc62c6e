import type { Candidate } from "../archive/rows";

type Titled = Pick<Candidate, "id" | "title" | "version" | "versionOf">;

/** What a file that came again under its name is called, beside the one that was there. */
export type NextVersion = {
  candidateTitle: string;
  version: string;
  versionOf: string;
  /** Which version it is, and what its first one is called. */
  number: number;
  firstTitle: string;
  /** The version before it on the same passage. */
  beforeId: string;
  beforeNumber: number;
};

const ORDINALS = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];
const ordinal = (n: number): string => ORDINALS[n - 1] ?? `${n}th`;

/**
 * The version that follows the latest of a candidate's on one passage, where `onPassage` has those with a render on it. One that has that number
 * already, from another passage, is joined.
 */
export function nextVersion(
  candidates: readonly Titled[],
  onPassage: ReadonlySet<string>,
  candidateId: string,
): NextVersion | null {
  const candidate = candidates.find(({ id }) => id === candidateId);
  const first = candidates.find(({ id }) => id === (candidate?.versionOf ?? candidateId)) ?? candidate;
  if (!first) return null;
  const later = candidates.filter(({ versionOf }) => versionOf === first.id);
  // A number that was written over by hand goes by its place in the row.
  const numbered = [
    { id: first.id, title: first.title, number: 1 },
    ...later.map(({ id, title, version }, i) => ({
      id,
      title,
      number: /^\d+$/.test(version) ? Number(version) : i + 2,
    })),
  ];
  const there = numbered.filter(({ id }) => onPassage.has(id));
  const before = there.toSorted((a, b) => b.number - a.number)[0] ?? numbered[0];
  const number = before.number + 1;
  return {
    candidateTitle: numbered.find((v) => v.number === number)?.title ?? `${first.title}, version ${number}`,
    version: String(number),
    versionOf: first.id,
    number,
    firstTitle: first.title,
    beforeId: before.id,
    beforeNumber: before.number,
  };
}

/** A level that moved by less is reported as the same, LU. */
const SAME_LU = 0.05;

/** "Bus comp, third version: 0.4 LU louder than the second". Levels are null where there is none, undefined before they are measured. */
export function versionSentence(
  { firstTitle, number, beforeNumber }: Pick<NextVersion, "firstTitle" | "number" | "beforeNumber">,
  lufs: number | null | undefined,
  beforeLufs: number | null | undefined,
): string {
  const name = `${firstTitle}, ${ordinal(number)} version`;
  if (lufs === undefined || beforeLufs === undefined) return `${name}.`;
  const before = `the ${ordinal(beforeNumber)}`;
  if (lufs === null || beforeLufs === null) return `${name}: level re ${before} not measurable.`;
  const louder = lufs - beforeLufs;
  if (Math.abs(louder) < SAME_LU) return `${name}: same level as ${before}.`;
  return `${name}: ${Math.abs(louder).toFixed(1)} LU ${louder > 0 ? "louder" : "quieter"} than ${before}.`;
}

/** One file of a folder as it lies on the disk. */
export type Listed = { path: string; byteLength: number; lastModified: number };

/** What is otherwise in a folder than it was. */
export type FolderChange = { appeared: Listed[]; changed: Listed[]; gone: Listed[] };

export function folderChange(before: readonly Listed[], now: readonly Listed[]): FolderChange {
  const known = new Map(before.map((file) => [file.path, file]));
  const there = new Set(now.map(({ path }) => path));
  const isOther = (file: Listed) => {
    const was = known.get(file.path);
    return was !== undefined && (was.byteLength !== file.byteLength || was.lastModified !== file.lastModified);
  };
  return {
    appeared: now.filter(({ path }) => !known.has(path)),
    changed: now.filter(isOther),
    gone: before.filter(({ path }) => !there.has(path)),
  };
}
