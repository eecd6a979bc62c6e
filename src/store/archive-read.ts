import { z } from "zod";
import {
  ARCHIVE_INDEX,
  ARCHIVE_RESULTS,
  ARCHIVE_SEALS,
  type Archive,
  archivedSealsSchema,
  audioFaults,
  noArchive,
  OTHER_COPY,
  OTHER_FILE,
  readArchive,
  renderFrom,
} from "@/core/archive/archive";
import { checkRuns } from "@/core/archive/check";
import { fromPlain } from "@/core/archive/plain";
import type { ZipFiles } from "@/core/archive/unzip";
import { fail, type Outcome, succeed } from "@/core/outcome";
import { runHere } from "@/workers/jobs";
import { TASKS } from "@/workers/registry";
import type { Task } from "@/workers/task";
import { keep } from "./cached";
import { database } from "./database";
import { keepWhatCame, readFile } from "./import-files";
import { dropUnused, putInPlace } from "./whole";
import { bytesOf, jsonOf, openZip, type Taken, textOf } from "./zip";

/** An archive whose list of contents was read; its audio was not yet. */
export type OpenedArchive = { fileName: string; archive: Archive; files: ZipFiles };

/** Opens an archive and looks through what it says of itself. Nothing is kept. */
export async function openArchive(file: File): Promise<Outcome<OpenedArchive>> {
  const opened = await openZip(file, "comparison archive", OTHER_FILE);
  if (!opened.ok) return opened;
  const files = opened.value;
  const index = files.get(ARCHIVE_INDEX);
  if (!index) return noArchive(file.name);
  const text = await textOf(file.name, index);
  if (!text.ok) return text;
  const read = readArchive(file.name, text.value);
  if (!read.ok) return read;
  const archive = read.value;
  const lengths = new Map([...files].map(([name, entry]) => [name, entry.uncompressedSize]));
  const [fault] = audioFaults(archive.audio, lengths);
  if (fault) return fail(`${file.name} is damaged: ${fault}`, OTHER_COPY);
  for (const { id, comparisonId, passageTitle } of archive.runs) {
    const elsewhere = (await database.runs.get(id))?.comparisonId ?? comparisonId;
    if (elsewhere === comparisonId) continue;
    const title = (await database.comparisons.get(elsewhere))?.title ?? "another comparison";
    return fail(
      `${file.name} holds a run on ${passageTitle} that is already in ${title}.`,
      "A run counts once: delete one of them first.",
    );
  }
  const runs = await checkRuns(archive);
  if (runs.holds === false) return fail(`${file.name} does not verify. ${runs.said}`, OTHER_COPY);
  return succeed({ fileName: file.name, archive, files });
}

/**
 * Takes in what an archive holds, in the place of the same comparison if that is here: its audio is read through, and refused where it is not what was
 * archived. All or nothing.
 */
export function takeArchive(opened: OpenedArchive, signal?: AbortSignal): Promise<Outcome<string>> {
  const { archive } = opened;
  return runHere({ title: `Opening ${archive.comparison.title}`, signal }, async (report, ending) => {
    const added: string[] = [];
    try {
      const outcome = await takeAudio(opened, added, report, ending);
      if (!outcome.ok) return outcome;
      const { audio: _, schema: _schema, version: _version, writtenAt: _writtenAt, ...rows } = archive;
      const seals = archivedSealsSchema.safeParse(await jsonIn(opened, ARCHIVE_SEALS));
      if (!seals.success) return fail(`${opened.fileName} is damaged: ${ARCHIVE_SEALS} cannot be read.`, OTHER_COPY);
      ending.throwIfAborted();
      await putInPlace({ ...rows, renders: archive.renders.map(renderFrom), seals: seals.data });
      added.length = 0;
      await takeResults(opened);
      return succeed(archive.comparison.id);
    } finally {
      // What was begun and not ended leaves nothing behind.
      await dropUnused(added);
    }
  });
}

async function takeAudio(
  { fileName, archive, files }: OpenedArchive,
  added: string[],
  report: (progress: { share: number; doing: string }) => void,
  signal: AbortSignal,
): Promise<Outcome<null>> {
  for (const [i, { hash, entry }] of archive.audio.entries()) {
    signal.throwIfAborted();
    if (await database.audio.get(hash)) continue;
    const zipped = files.get(entry);
    if (!zipped) return fail(`${fileName} is damaged: ${entry} is missing.`, OTHER_COPY);
    const name = archive.renders.find((r) => r.audioHash === hash)?.fileName ?? entry;
    report({ share: i / archive.audio.length, doing: name });
    let taken: Taken;
    try {
      taken = await bytesOf(zipped, signal);
    } catch (error) {
      if (signal.aborted) throw error;
      return fail(`${fileName} is damaged: ${entry} cannot be read.`, OTHER_COPY);
    }
    try {
      const read = await readFile(new File([taken.bytes], name), signal);
      if (!read.ok) return read;
      if (read.reading.hash !== hash)
        return fail(`${fileName} is damaged: ${entry} differs from what was archived.`, OTHER_COPY);
      await keepWhatCame(read);
      await database.audio.put({ hash, bytes: taken.bytes });
      added.push(hash);
    } finally {
      await taken.letGo();
    }
  }
  return succeed(null);
}

/** An entry as plain data; undefined where it is not there, or is no JSON. */
async function jsonIn({ fileName, files }: OpenedArchive, name: string): Promise<unknown> {
  const entry = files.get(name);
  const text = entry && (await textOf(fileName, entry));
  return text?.ok ? jsonOf(text.value) : undefined;
}

function resultOf(value: unknown): unknown {
  try {
    return fromPlain(value);
  } catch {
    return undefined;
  }
}

const resultsSchema = z.array(z.object({ key: z.string(), value: z.unknown() }));

/** Keeps the results that came along, as far as they are what their tasks answer today. They save work, and are no reason to fail. */
async function takeResults(opened: OpenedArchive): Promise<void> {
  const parsed = resultsSchema.safeParse(await jsonIn(opened, ARCHIVE_RESULTS));
  if (!parsed.success) return;
  for (const { key, value } of parsed.data) {
    const [, name, version] = /^(\w+)@([^:]+):/.exec(key) ?? [];
    const task: Task | undefined = TASKS[name as keyof typeof TASKS];
    if (!task || String(task.version) !== version) continue;
    const answer = task.answer.safeParse(resultOf(value));
    if (answer.success) await keep(key, answer.data);
  }
}
