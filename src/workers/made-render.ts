import { z } from "zod";
import { listening } from "@/core/audio/in-order";
import type { Sound } from "@/core/audio/sound";
import { fileReadingSchema } from "@/core/formats/file-reading";
import { levelsSchema, measureLevels } from "@/core/loudness/measure";
import { signatureSchema } from "@/core/sorting/signature";
import { soundOfCopy, wavBlob } from "./blobs";
import { readFile } from "./read-file";
import { blobSchema, type Progress } from "./task";

/** A render made here: its file and what is known of it. */
export const madeRenderSchema = z.object({
  file: blobSchema,
  reading: fileReadingSchema,
  signature: signatureSchema,
  outline: blobSchema.nullable(),
  levels: levelsSchema,
});
export type MadeRender = z.infer<typeof madeRenderSchema>;

/** A sound as a kept render: written, and read and measured from the bytes that are kept, not from what they were made of. */
export async function made(
  sound: Sound,
  encoding: "24-bit" | "32-bit float",
  report: (progress: Progress) => void,
): Promise<MadeRender> {
  const written = listening(sound, (share) => report({ share: 0.6 * share, doing: "Processing" }));
  const file = wavBlob(written, encoding);
  const read = await readFile(file, "The result", ({ share }) =>
    report({ share: 0.6 + 0.2 * share, doing: "Reading the result" }),
  );
  if (!read.ok) throw new Error(`${read.reason} ${read.advice}`);
  const { signature, outline, copy: _, ...reading } = read.value;
  return {
    file,
    reading,
    signature,
    outline,
    levels: measureLevels(
      listening(soundOfCopy(file), (share) => report({ share: 0.8 + 0.2 * share, doing: "Measuring the result" })),
    ),
  };
}
