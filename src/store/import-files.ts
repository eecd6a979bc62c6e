import type { FileReading } from "@/core/formats/file-reading";
import { LEVELS_VERSION, type Levels, NO_LEVELS } from "@/core/loudness/measure";
import { DEFAULT_MATCH } from "@/core/matching/match-passage";
import { kindOfName } from "@/core/sorting/kind-of-name";
import { DRY_TITLE } from "@/core/sorting/names";
import type { Signature } from "@/core/sorting/signature";
import type { Sorting } from "@/core/sorting/sort-files";
import { runJob } from "@/workers/jobs";
import { outlineKey } from "@/workers/read-file";
import { newId, now } from "./comparisons";
import { decodedKey, keepCopy } from "./copies";
import { database, UNTOLD_CANDIDATE } from "./database";
import { fileRecipe } from "./line-up";
import type { Candidate, Passage, Render } from "./records";
import { keepResult, resultOf } from "./results";

/** One file as a person decided to add it. */
export type Addition = {
  file: File;
  reading: FileReading;
  /** What came of reading it and need not be made again: a coded file's samples, what lining up needs of it, how it moves. */
  copy?: Blob | null;
  outline?: Blob | null;
  signature?: Signature;
  /** Levels of the file; measured later where they are not known yet. */
  levels?: Levels | null;
  candidateTitle: string;
  /** What is known of the candidate where it is made anew. */
  about?: Partial<Pick<Candidate, "kind" | "version" | "summary" | "notes" | "settings" | "chain" | "versionOf">>;
  dry: boolean;
};

/** A file that was read but not kept yet. */
export type FileRead = { id: string; file: File } & (
  | { ok: true; reading: FileReading; signature: Signature; copy: Blob | null; outline: Blob | null }
  | { ok: false; reason: string; advice: string }
);

/** Reads a file in a worker without keeping or measuring anything. */
export async function readFile(file: File, signal?: AbortSignal): Promise<FileRead> {
  const id = newId();
  const answer = await runJob("read", { name: file.name, file }, { title: `Reading ${file.name}`, signal });
  if (!answer.ok) return { id, file, ok: false, reason: answer.reason, advice: answer.advice };
  const { signature, copy, outline, ...reading } = answer.value;
  return { id, file, ok: true, reading, signature, copy, outline };
}

/** Measures a file that was read and is not kept yet; what comes out is known once it is. */
export async function measureRead(
  { file, reading, copy }: FileRead & { ok: true },
  signal?: AbortSignal,
): Promise<Levels> {
  const { channels: _, ...levels } = await resultOf(
    "levels",
    { sound: { of: "file", hash: reading.hash } },
    { title: `Measuring ${file.name}`, signal, files: [{ hash: reading.hash, bytes: copy ?? file }] },
  );
  return levels;
}

const drySignature = (dry: Render): Promise<Signature> =>
  resultOf("signature", { sound: fileRecipe(dry) }, { title: `Preparing ${dry.fileName}` });

/** Sorts files that were read into the passages of a comparison, and strangers into new ones, by their sound. */
export async function sortIntoPassages(
  files: readonly (FileRead & { ok: true })[],
  comparisonId: string,
  signal?: AbortSignal,
): Promise<Sorting> {
  const passages = await database.passages.where({ comparisonId }).sortBy("position");
  const known = await Promise.all(
    passages.map(async ({ id, title, dryRenderId }) => {
      const dry = await database.renders.get(dryRenderId);
      if (!dry) throw new Error(`The dry render of ${title} is no longer in this browser.`);
      return { id, title, signature: await drySignature(dry) };
    }),
  );
  return runJob(
    "sort",
    { files: files.map(({ id, file, signature }) => ({ id, name: file.name, signature })), passages: known },
    { title: `Matching ${files.length} files to passages`, signal },
  );
}

/** Where the same content already stands in a comparison, or in nothing. */
export async function knownCopy(comparisonId: string, hash: string): Promise<Render | null> {
  const renders = await database.renders.where({ audioHash: hash }).toArray();
  return renders.find((r) => r.comparisonId === comparisonId) ?? null;
}

/** Makes a candidate of this title, at the end, unless there is one. Within a transaction. */
async function candidateNamed(
  comparisonId: string,
  title: string,
  known: Candidate[],
  about: Addition["about"],
): Promise<Candidate> {
  const found = known.find((c) => c.title === title);
  if (found) return found;
  const position = 1 + Math.max(-1, ...known.map((c) => c.position));
  const candidate: Candidate = {
    ...UNTOLD_CANDIDATE,
    // Proposed by its name; a person can change it.
    kind: kindOfName(title),
    ...about,
    id: newId(),
    comparisonId,
    title,
    position,
  };
  if (title === DRY_TITLE) candidate.position = Math.min(0, ...known.map((c) => c.position - 1));
  known.push(candidate);
  await database.candidates.add(candidate);
  return candidate;
}

/** The title, numbered where it is taken. */
export function freeIn(taken: ReadonlySet<string>, title: string): string {
  for (let n = 1; ; n++) {
    const free = n === 1 ? title : `${title} ${n}`;
    if (!taken.has(free)) return free;
  }
}

/** Keeps what came of reading a file beside it, so that it need not be read for that again. */
export async function keepWhatCame({
  reading: { hash },
  copy,
  outline,
  signature,
}: Pick<Addition, "reading" | "copy" | "outline" | "signature">): Promise<void> {
  await Promise.all([
    copy && keepCopy(decodedKey(hash), copy),
    outline && keepCopy(outlineKey(hash), outline),
    signature && keepResult("signature", { sound: { of: "file", hash } }, signature),
  ]);
}

/**
 * Adds files to a passage, or to a new one when `passage` is a title. All or nothing. Audio is kept once by content; a
 * candidate of the same title is used again, or numbered where it has a render in this passage. The pair of a new passage is its dry render and the first other one.
 */
export async function addRenders(
  comparisonId: string,
  passage: Passage | { title: string; position?: number },
  additions: readonly Addition[],
): Promise<string> {
  await Promise.all(additions.map(keepWhatCame));
  const { comparisons, passages, candidates, renders, audio } = database;
  return database.transaction("rw", [comparisons, passages, candidates, renders, audio], async () => {
    const passageId = "id" in passage ? passage.id : newId();
    const known = await candidates.where({ comparisonId }).toArray();
    const standing = await renders.where({ passageId }).toArray();
    const taken = new Set(known.filter((c) => standing.some((r) => r.candidateId === c.id)).map((c) => c.title));
    const added: Render[] = [];
    let dryRenderId: string | null = null;
    for (const { file, reading, levels, candidateTitle, about, dry } of additions) {
      const title = freeIn(taken, candidateTitle);
      const candidate = await candidateNamed(comparisonId, title, known, about);
      taken.add(title);
      const { hash, ...rest } = reading;
      if (!(await audio.get(hash))) await audio.add({ hash, bytes: file });
      const render: Render = {
        ...rest,
        id: newId(),
        comparisonId,
        passageId,
        candidateId: candidate.id,
        audioHash: hash,
        fileName: file.name,
        hand: null,
        levels: levels ?? NO_LEVELS,
        levelsVersion: levels ? LEVELS_VERSION : undefined,
      };
      added.push(render);
      if (dry) dryRenderId = render.id;
    }
    await renders.bulkAdd(added);
    if ("id" in passage) {
      await extendPassage(passageId, dryRenderId, added);
    } else {
      const dry = dryRenderId ?? added[0].id;
      await passages.add({
        id: passageId,
        comparisonId,
        title: passage.title,
        position: passage.position ?? (await passages.where({ comparisonId }).count()),
        dryRenderId: dry,
        hereRenderId: dry,
        yonderRenderId: added.find((r) => r.id !== dry)?.id ?? dry,
        loop: null,
        match: DEFAULT_MATCH,
      });
    }
    const comparison = await comparisons.get(comparisonId);
    await comparisons.update(comparisonId, { passageId: comparison?.passageId ?? passageId, updatedAt: now() });
    return passageId;
  });
}

/** Names a new dry render if one was said, and gives a passage that had nothing to compare its pair. */
async function extendPassage(passageId: string, dryRenderId: string | null, added: readonly Render[]): Promise<void> {
  const passage = await database.passages.get(passageId);
  if (!passage) throw new Error("This passage is no longer in the comparison.");
  const lone = passage.hereRenderId === passage.yonderRenderId;
  await database.passages.update(passageId, {
    ...(dryRenderId ? { dryRenderId, loop: null } : {}),
    ...(lone ? { yonderRenderId: added[0].id } : {}),
  });
}
