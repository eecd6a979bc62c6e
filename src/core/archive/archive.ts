import { z } from "zod";
import { runSchema } from "../blind/run";
import { fileNameOf } from "../findings/file-name";
import { type Failure, fail, type Outcome, succeed } from "../outcome";
import { type ArchiveJson, MIGRATIONS } from "./migrations";
import {
  candidateSchema,
  comparisonSchema,
  findingSchema,
  measurementSchema,
  momentSchema,
  noteSchema,
  packSchema,
  passageSchema,
  type Render,
  renderSchema,
  sealSchema,
  sightedVerdictSchema,
} from "./rows";

export const ARCHIVE_SCHEMA = "yonder-pair/archive";
/** Raise with a step in `migrations.ts` and an archive made by the version before in `fixtures/archives`. */
export const ARCHIVE_VERSION = 4;

/** The entry of an archive that says what is in it. */
export const ARCHIVE_INDEX = "archive.json";
/** The hidden orders of runs that are still open: apart, so that nobody who reads the index sees one by chance. */
export const ARCHIVE_SEALS = "seals.json";
/** Figures that were worked out, so that they need not be worked out again. */
export const ARCHIVE_RESULTS = "results.json";

/** A waveform as numbers: nine digits carry a 32-bit float exactly (IEEE 754). */
const waveformSchema = z.object({ lows: z.array(z.number()), highs: z.array(z.number()) });

const archivedAudioSchema = z.object({
  /** Its content: XXH3 of its bytes, 128 bits, in hexadecimal digits. */
  hash: z.string().min(1),
  /** The entry of the archive that holds it as it was imported, bit for bit. */
  entry: z.string().min(1),
  byteLength: z.number().int().min(0),
});
type ArchivedAudio = z.infer<typeof archivedAudioSchema>;

/** A comparison as one file: all that was imported, set, said and found. */
export const archiveSchema = z.object({
  schema: z.literal(ARCHIVE_SCHEMA),
  version: z.literal(ARCHIVE_VERSION),
  writtenAt: z.iso.datetime(),
  comparison: comparisonSchema,
  passages: z.array(passageSchema),
  candidates: z.array(candidateSchema),
  renders: z.array(renderSchema.extend({ overview: waveformSchema })),
  runs: z.array(runSchema),
  notes: z.array(noteSchema),
  moments: z.array(momentSchema),
  sightedVerdicts: z.array(sightedVerdictSchema),
  measurements: z.array(measurementSchema),
  packs: z.array(packSchema),
  findings: z.array(findingSchema),
  audio: z.array(archivedAudioSchema),
});
export type Archive = z.infer<typeof archiveSchema>;
export const archivedSealsSchema = z.array(sealSchema);

const DIGITS_OF_A_FLOAT = 9;
const asNumbers = (values: Float32Array): number[] =>
  Array.from(values, (v) => Number(v.toPrecision(DIGITS_OF_A_FLOAT)));

/** A render as it goes into an archive. */
export const archivedRender = ({ overview, ...render }: Render): Archive["renders"][number] => ({
  ...render,
  overview: { lows: asNumbers(overview.lows), highs: asNumbers(overview.highs) },
});

/** The same taken out again. */
export const renderFrom = ({ overview, ...render }: Archive["renders"][number]): Render => ({
  ...render,
  overview: { lows: Float32Array.from(overview.lows), highs: Float32Array.from(overview.highs) },
});

/** The name of an archive's entry for a file: distinguished by content, read by its name. */
export function audioEntryName(hash: string, fileName: string): string {
  const dot = fileName.lastIndexOf(".");
  const stem = dot > 0 ? fileName.slice(0, dot) : fileName;
  const ending = dot > 0 ? fileName.slice(dot + 1).replace(/[^\p{Letter}\p{Number}]/gu, "") : "";
  return `audio/${hash.slice(0, 8)}-${fileNameOf(stem, ending || "bin")}`;
}

export const OTHER_COPY = "Take another copy of it.";

/** What is reported of a zip that is no archive. */
export const noArchive = (fileName: string): Failure =>
  fail(`${fileName} is not a comparison archive: it has no ${ARCHIVE_INDEX}.`, OTHER_FILE);

export const OTHER_FILE = "Choose a zip that was written with “Archive”.";

const row = z.record(z.string(), z.unknown());
/** The lists that indexes of all versions have; findings came later. */
const lists = Object.entries(archiveSchema.shape).flatMap(([name, list]) =>
  list instanceof z.ZodArray && name !== "findings" ? [name] : [],
);
/** What an index of any version is, so that the steps from one to the next have rows to work on. */
const archiveShape = z.looseObject({
  comparison: row,
  ...Object.fromEntries(lists.map((name) => [name, z.array(row)])),
  measurements: z.array(z.looseObject({ report: row })),
});

const damaged = (fileName: string, { issues: [{ path, message }] }: z.ZodError): Failure =>
  fail(`${fileName} is damaged: ${path.join(".") || "its index"} is invalid (${message}).`, OTHER_COPY);

/** The index of an archive, of whatever version, as it would be written now. */
export function readArchive(fileName: string, text: string): Outcome<Archive> {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    return fail(`${fileName} is not a comparison archive: its ${ARCHIVE_INDEX} is not JSON.`, OTHER_FILE);
  }
  const told = z.object({ schema: z.literal(ARCHIVE_SCHEMA), version: z.number().int().min(1) }).safeParse(json);
  if (!told.success) return fail(`${fileName} is not a comparison archive.`, OTHER_FILE);
  if (told.data.version > ARCHIVE_VERSION)
    return fail(
      `${fileName} was written by a later version (archive ${told.data.version}; this one opens versions up to ${ARCHIVE_VERSION}).`,
      "Open it with the version it was written by, or a later one.",
    );
  const shape = archiveShape.safeParse(json);
  if (!shape.success) return damaged(fileName, shape.error);
  let current: ArchiveJson = shape.data;
  for (let version = told.data.version; version < ARCHIVE_VERSION; version++)
    current = { ...MIGRATIONS[version](current), version: version + 1 };
  const parsed = archiveSchema.safeParse(current);
  if (!parsed.success) return damaged(fileName, parsed.error);
  const loose = looseEnd(parsed.data);
  return loose ? fail(`${fileName} is inconsistent: ${loose}`, OTHER_COPY) : succeed(parsed.data);
}

/** The first row that points to nothing, in words; null where all hang together. */
function looseEnd({ comparison, passages, candidates, renders, audio, ...others }: Archive): string | null {
  const ids = (rows: readonly { id: string }[]) => new Set(rows.map(({ id }) => id));
  const [passageIds, candidateIds, renderIds] = [ids(passages), ids(candidates), ids(renders)];
  const hashes = new Set(audio.map(({ hash }) => hash));
  for (const { title, dryRenderId, hereRenderId, yonderRenderId } of passages)
    if (![dryRenderId, hereRenderId, yonderRenderId].every((id) => renderIds.has(id)))
      return `a render of the passage ${title} is missing.`;
  for (const { fileName, passageId, candidateId, audioHash } of renders) {
    if (!passageIds.has(passageId) || !candidateIds.has(candidateId)) return `${fileName} has no place in the grid.`;
    if (!hashes.has(audioHash)) return `the audio of ${fileName} is missing.`;
  }
  const rows = [passages, candidates, renders, ...Object.values(others).filter(Array.isArray)].flat();
  const isForeign = (row: unknown) => (row as { comparisonId?: string }).comparisonId !== comparison.id;
  return rows.some(isForeign) ? "something in it belongs to another comparison." : null;
}

/** What of an archive's audio is not as it should be, file by file. `byteLengths`: of the entries that are there. */
export function audioFaults(audio: readonly ArchivedAudio[], byteLengths: ReadonlyMap<string, number>): string[] {
  return audio.flatMap(({ entry, byteLength }) => {
    const there = byteLengths.get(entry);
    if (there === undefined) return [`${entry} is missing.`];
    return there === byteLength ? [] : [`${entry} has ${there} bytes instead of ${byteLength}.`];
  });
}
