import {
  ARCHIVE_INDEX,
  ARCHIVE_RESULTS,
  ARCHIVE_SCHEMA,
  ARCHIVE_SEALS,
  ARCHIVE_VERSION,
  type Archive,
  archivedRender,
  audioEntryName,
} from "@/core/archive/archive";
import { toPlain } from "@/core/archive/plain";
import { OWN_FORM } from "@/core/bench/signal/signal-plan";
import { fileNameOf } from "@/core/findings/file-name";
import { runHere } from "@/workers/jobs";
import { now } from "./comparisons";
import { database } from "./database";
import type { ExportedFile } from "./export-renders";
import { resultKey } from "./results";
import { type Whole, wholeComparison } from "./whole";
import { type ZipEntry, zipped } from "./zip";

/** Results that go along: figures, not pictures, which are drawn anew in no time. */
const TOLD_TASKS = ["above", "align", "fit", "ladder", "levels", "overMask", "pair", "residuals"];

const jsonBlob = (value: unknown): Blob => new Blob([JSON.stringify(value)], { type: "application/json" });

/** Kept results that belong to a comparison, as an archive tells them. */
async function resultsOf({ renders, candidates }: Whole): Promise<{ key: string; value: unknown }[]> {
  const hashes = [...new Set(renders.map((r) => r.audioHash))];
  const isOwn = (key: string) =>
    TOLD_TASKS.some((task) => key.startsWith(`${task}@`)) && hashes.some((hash) => key.includes(hash));
  const keys = (await database.analyses.toCollection().primaryKeys()).filter(isOwn);
  const measured = candidates.flatMap(({ chain }) => (chain ? [resultKey("bench", { chain, form: OWN_FORM })] : []));
  const kept = await database.analyses.bulkGet([...new Set([...keys, ...measured])].sort());
  return kept.flatMap((result) => (result ? [{ key: result.key, value: toPlain(result.value) }] : []));
}

/** What an archive of a comparison says is in it, with the bytes of its audio. */
async function indexOf(whole: Whole): Promise<{ archive: Archive; audio: { name: string; bytes: Blob }[] }> {
  const { seals: _, renders, ...rows } = whole;
  const nameOf = new Map(renders.map((r) => [r.audioHash, r.fileName]));
  const audio = await Promise.all(
    [...nameOf].map(async ([hash, fileName]) => {
      const kept = await database.audio.get(hash);
      if (!kept) throw new Error(`The audio of ${fileName} is no longer in this browser. Add the file again.`);
      return { hash, name: audioEntryName(hash, fileName), bytes: kept.bytes };
    }),
  );
  const archive: Archive = {
    schema: ARCHIVE_SCHEMA,
    version: ARCHIVE_VERSION,
    writtenAt: now(),
    ...rows,
    renders: renders.map(archivedRender),
    audio: audio.map(({ hash, name, bytes }) => ({ hash, entry: name, byteLength: bytes.size })),
  };
  return { archive, audio };
}

/** A comparison as one file, written piece by piece: what was imported bit for bit, and all that was set, said and found. */
export async function writeArchive(comparisonId: string, signal?: AbortSignal): Promise<ExportedFile> {
  const whole = await wholeComparison(comparisonId);
  const { title } = whole.comparison;
  const name = fileNameOf(`${title} archive`, "zip");
  const blob = await runHere({ title: `Archiving ${title}`, signal }, async (report, ending) => {
    const { archive, audio } = await indexOf(whole);
    const open = new Set(whole.runs.filter((run) => run.opened === null).map(({ id }) => id));
    const seals = whole.seals.filter(({ runId }) => open.has(runId));
    const lastModified = new Date(archive.writtenAt);
    async function* entries(): AsyncGenerator<ZipEntry> {
      yield { name: ARCHIVE_INDEX, input: jsonBlob(archive), lastModified };
      yield { name: ARCHIVE_SEALS, input: jsonBlob(seals), lastModified };
      yield { name: ARCHIVE_RESULTS, input: jsonBlob(await resultsOf(whole)), lastModified };
      for (const { name: entry, bytes } of audio) yield { name: entry, input: bytes, lastModified };
    }
    const total = audio.reduce((sum, { bytes }) => sum + bytes.size, 1);
    const onBytes = (count: number) => report({ share: Math.min(1, count / total), doing: "writing" });
    return zipped(name, entries(), { signal: ending, onBytes });
  });
  return { name, blob };
}
