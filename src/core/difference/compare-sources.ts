import type { ByteSource } from "../formats/byte-source";
import { MOST_SAMPLES, soundProblem } from "../formats/decoded-audio";
import type { MakeCopy } from "../formats/pcm-copy";
import { openAudio } from "../formats/read-audio";
import { fail, type Outcome } from "../outcome";
import { type CompareReport, compareFiles, type Keep } from "./compare";

/** A file by name and content. */
export type NamedSource = { file: string; source: ByteSource };

/** Opens a reference and renders in any format and compares them; the first file that cannot be read is told of by name. */
export async function compareSources(
  reference: NamedSource,
  renders: readonly NamedSource[],
  { makeCopy, keep }: { makeCopy?: MakeCopy; keep?: Keep } = {},
): Promise<Outcome<CompareReport>> {
  const opened = [];
  for (const { file, source } of [reference, ...renders]) {
    const audio = await openAudio(source, file, makeCopy);
    if (!audio.ok) return audio;
    const { sound, remarks } = audio.value;
    const problem = soundProblem(file, sound);
    if (problem) return problem;
    const rateHz = opened[0]?.sound.sampleRateHz ?? sound.sampleRateHz;
    const convertedSamples = (sound.frames * sound.channelCount * rateHz) / sound.sampleRateHz;
    if (convertedSamples > MOST_SAMPLES) {
      return fail(
        `${file}, converted from ${sound.sampleRateHz} Hz to the reference's ${rateHz} Hz, would be more than can be looked at at once.`,
        "Compare a shorter passage, or take the file of the lower rate as the reference.",
      );
    }
    opened.push({ file, sound, remarks });
  }
  return { ok: true, value: compareFiles(opened[0], opened.slice(1), keep) };
}
