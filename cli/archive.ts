import { closeSync, mkdtempSync, openSync, rmSync, writeSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Reader } from "@zip.js/zip.js";
import { ARCHIVE_INDEX, type Archive, audioFaults, noArchive, OTHER_FILE, readArchive } from "@/core/archive/archive";
import { type ArchiveCheck, checkOf, checkRuns } from "@/core/archive/check";
import { listed, textBytes, unpack, type ZipFiles } from "@/core/archive/unzip";
import { type ByteSource, piecesOfBytes } from "@/core/formats/byte-source";
import { contentHasher } from "@/core/formats/content-hash";
import { openAudio } from "@/core/formats/read-audio";
import { LEVELS_VERSION, measureStretch } from "@/core/loudness/measure";
import { type Outcome, succeed } from "@/core/outcome";
import { fileSource } from "./files";

/** A file on the disk as zips are read: here and there, never as a whole. */
class SourceReader extends Reader<ByteSource> {
  constructor(private readonly source: ByteSource) {
    super(source);
    this.size = source.byteLength;
  }
  override async readUint8Array(start: number, length: number): Promise<Uint8Array> {
    return this.source.read(start, Math.min(this.size, start + length));
  }
}

export type VerifiedArchive = {
  schema: "yonder-pair/verify-archive@1";
  file: string;
  holds: boolean;
  title: string;
  version: number;
  writtenAt: string;
  counts: Record<"passages" | "candidates" | "renders" | "runs", number>;
  checks: ArchiveCheck[];
};

/** Whether bytes begin as a zip does (PKWARE's APPNOTE 4.3.7: a local file header). */
export const isZip = (source: ByteSource): boolean =>
  source.byteLength > 4 && new DataView(source.read(0, 4).slice().buffer).getUint32(0, true) === 0x04034b50;

/** Checks an archive with nothing but its file: that its index hangs together, its audio is what was archived, its levels and runs come out again. */
export async function verifyArchive(file: string, source: ByteSource): Promise<Outcome<VerifiedArchive>> {
  const zip = await listed(new SourceReader(source), { fileName: file, what: "archive", advice: OTHER_FILE });
  if (!zip.ok) return zip;
  const files = zip.value;
  const index = files.get(ARCHIVE_INDEX);
  if (!index) return noArchive(file);
  const bytes = await textBytes(file, index);
  if (!bytes.ok) return bytes;
  const text = new TextDecoder().decode(bytes.value);
  const read = readArchive(file, text);
  if (!read.ok) return read;
  const archive = read.value;
  const lengths = new Map([...files].map(([name, { uncompressedSize }]) => [name, uncompressedSize]));
  const missing = audioFaults(archive.audio, lengths);
  const checks = [
    { name: "index" as const, holds: true, said: "Every row fits the schema, and every reference exists." },
    ...(await checkAudio(archive, files, missing)),
    await checkRuns(archive),
  ];
  const { passages, candidates, renders, runs, comparison } = archive;
  return succeed({
    schema: "yonder-pair/verify-archive@1",
    file,
    holds: checks.every(({ holds }) => holds !== false),
    title: comparison.title,
    version: (JSON.parse(text) as { version: number }).version,
    writtenAt: archive.writtenAt,
    counts: {
      passages: passages.length,
      candidates: candidates.length,
      renders: renders.length,
      runs: runs.length,
    },
    checks,
  });
}

/** Every file of an archive, taken out to the disk one by one: its content, and its levels measured again. */
async function checkAudio(
  { audio, renders }: Archive,
  files: ZipFiles,
  missing: readonly string[],
): Promise<ArchiveCheck[]> {
  const folder = mkdtempSync(join(tmpdir(), "yonder-archive-"));
  const changed = [...missing];
  const others: string[] = [];
  let measured = 0;
  try {
    for (const { hash, entry } of audio) {
      const zipped = files.get(entry);
      if (!zipped) continue;
      const path = join(folder, "entry");
      const written = openSync(path, "w");
      try {
        await unpack(zipped, (bytes) => void writeSync(written, bytes));
      } catch {
        changed.push(`${entry} cannot be read.`);
        continue;
      } finally {
        closeSync(written);
      }
      const source = fileSource(path);
      const hasher = await contentHasher();
      for (const bytes of piecesOfBytes(source)) hasher.update(bytes);
      if (hasher.digest() !== hash) changed.push(`${entry} differs from what was archived.`);
      else {
        const kept = renders.find((r) => r.audioHash === hash && r.levelsVersion === LEVELS_VERSION);
        const opened = kept && (await openAudio(source, kept.fileName));
        if (kept && opened?.ok) {
          measured++;
          const { channels: _, ...levels } = measureStretch(opened.value.sound);
          const isSame = Object.entries(levels).every(
            ([name, value]) => JSON.stringify(value) === JSON.stringify(kept.levels[name as keyof typeof kept.levels]),
          );
          if (!isSame) others.push(`${entry} has other levels than archived.`);
        }
      }
      source.close();
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  return [
    checkOf(
      "audio",
      audio.length,
      changed,
      `${audio.length} of ${audio.length} files are bit-identical to the archived ones.`,
    ),
    checkOf("levels", measured, others, `Measured again: ${measured} of ${measured} files have the archived levels.`),
  ];
}
