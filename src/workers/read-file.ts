import type { z } from "zod";
import { OUTLINE_VERSION, OutlineMaker, outlineBytes } from "@/core/alignment/outline";
import { OverviewDrawer } from "@/core/audio/overview";
import { piecesOf, type Sound } from "@/core/audio/sound";
import { type ByteSource, piecesOfBytes } from "@/core/formats/byte-source";
import { contentHasher } from "@/core/formats/content-hash";
import { finiteProblem, LARGEST_SAMPLE } from "@/core/formats/decoded-audio";
import { fileReadingSchema } from "@/core/formats/file-reading";
import { openAudio } from "@/core/formats/read-audio";
import { whileLaid } from "@/core/kernels/kernels";
import type { Outcome } from "@/core/outcome";
import { SignatureMaker, signatureSchema } from "@/core/sorting/signature";
import { LONG_FILE_BYTES, startReaders } from "./ahead/ahead";
import { blobSource, copyInBlob } from "./blobs";
import { blobSchema, type Progress } from "./task";

/** Columns of the waveform kept with each render: enough for a full-width transport. */
export const OVERVIEW_COLUMNS = 1200;

/** What reading a file through tells. */
export const readFileSchema = fileReadingSchema.extend({
  signature: signatureSchema,
  /** What lining up needs of a long sound, as bytes to be kept; null for short ones. */
  outline: blobSchema.nullable(),
  /** A coded file's samples, to be kept beside it; null where the file itself can be read in place. */
  copy: blobSchema.nullable(),
});
type ReadFile = z.infer<typeof readFileSchema>;

/** Where the outline of a file is kept. */
export const outlineKey = (hash: string): string => `outline@${OUTLINE_VERSION}:${hash}`;

/** Sounds under this are read through in no time. */
const OUTLINED_FRAMES = 2 ** 20;

/**
 * The source, and what its content is known by. What is read in order is hashed as it goes by; `finish` reads the rest.
 */
async function hashed(source: ByteSource): Promise<{ source: ByteSource; finish: () => string }> {
  const hasher = await contentHasher();
  let upTo = 0;
  const read = (start: number, end: number) => {
    const bytes = source.read(start, end);
    if (start <= upTo && end > upTo) {
      hasher.update(bytes.subarray(upTo - start));
      upTo = end;
    }
    return bytes;
  };
  const finish = () => {
    for (const bytes of piecesOfBytes(source, upTo)) hasher.update(bytes);
    return hasher.digest();
  };
  return { source: { byteLength: source.byteLength, read }, finish };
}

type Scan = Pick<ReadFile, "overview" | "signature" | "outline">;

/** One pass over all samples: the waveform, the signature, the outline, and whether any is no number. */
function scanned(sound: Sound, name: string, report: (share: number) => void): Outcome<Scan> {
  const drawer = new OverviewDrawer(sound.frames, OVERVIEW_COLUMNS);
  const maker = new SignatureMaker(sound);
  const outliner = sound.frames > OUTLINED_FRAMES ? new OutlineMaker(sound) : null;
  for (const { startFrame, channels } of piecesOf(sound)) {
    const isSound = whileLaid(channels, () => {
      maker.add(channels);
      outliner?.add(channels);
      return drawer.add(channels, LARGEST_SAMPLE);
    });
    const problem = isSound ? null : finiteProblem(name, channels, sound.sampleRateHz, startFrame);
    if (problem) return problem;
    report(startFrame / sound.frames);
  }
  const outline = outliner && new Blob([outlineBytes(outliner.outline())]);
  return { ok: true, value: { overview: drawer.overview, signature: maker.signature(), outline } };
}

/** Reads a file through, once; a coded one comes with a copy of its samples. */
export async function readFile(
  file: Blob,
  name: string,
  report: (progress: Progress) => void,
): Promise<Outcome<ReadFile>> {
  const doing = `Reading ${name}`;
  const copy = copyInBlob();
  report({ share: 0.02, doing });
  if (file.size > LONG_FILE_BYTES) await startReaders();
  const { source, finish } = await hashed(blobSource(file));
  const opened = await openAudio(source, name, copy.makeCopy);
  if (!opened.ok) return opened;
  const { sound, encoding, remarks } = opened.value;
  const scan = scanned(sound, name, (share) => report({ share: 0.1 + 0.9 * share, doing }));
  if (!scan.ok) return scan;
  const { sampleRateHz, channelCount, frames } = sound;
  return {
    ok: true,
    value: { hash: finish(), sampleRateHz, channelCount, frames, encoding, remarks, ...scan.value, copy: copy.blob() },
  };
}
