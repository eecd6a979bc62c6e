import { frameCount } from "../audio/clip";
import { MOST_SAMPLES } from "../formats/decoded-audio";
import { readAudio } from "../formats/read-audio";
import { fail, type Outcome } from "../outcome";
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
    const { clip, remarks } = decoded.value;
    const rateHz = clips[0]?.clip.sampleRateHz ?? clip.sampleRateHz;
    const convertedSamples = (frameCount(clip) * clip.channels.length * rateHz) / clip.sampleRateHz;
    if (convertedSamples > MOST_SAMPLES) {
      return fail(
        `${file}, converted from ${clip.sampleRateHz} Hz to the reference's ${rateHz} Hz, would be more than can be held at once.`,
        "Compare a shorter passage, or take the file of the lower rate as the reference.",
      );
    }
    clips.push({ file, clip, remarks });
  }
  return { ok: true, value: compareFiles(clips[0], clips.slice(1)) };
}
