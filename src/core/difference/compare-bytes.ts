import { readAudio } from "../formats/read-audio";
import type { Outcome } from "../outcome";
import { type CompareReport, compareFiles } from "./compare";

/** A file by name and content. */
export type NamedBytes = { file: string; bytes: Uint8Array };

/** Reads a reference and renders in any format and compares them; the first file that cannot be read is told of by name. */
export async function compareBytes(
  reference: NamedBytes,
  renders: readonly NamedBytes[],
): Promise<Outcome<CompareReport>> {
  const clips = [];
  for (const { file, bytes } of [reference, ...renders]) {
    const decoded = await readAudio(bytes, file);
    if (!decoded.ok) return decoded;
    clips.push({ file, clip: decoded.value.clip });
  }
  return { ok: true, value: compareFiles(clips[0], clips.slice(1)) };
}
