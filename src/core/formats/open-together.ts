import type { Sound } from "../audio/sound";
import type { Outcome } from "../outcome";
import { FILE_PROBLEMS } from "../words/files";
import type { ByteSource } from "./byte-source";
import { MOST_SAMPLES, soundProblem } from "./decoded-audio";
import type { MakeCopy } from "./pcm-copy";
import { openAudio } from "./read-audio";

/** A file by name and content. */
export type NamedSource = { file: string; source: ByteSource };
export type OpenedFile = { file: string; sound: Sound; remarks: string[] };

/** Opens files that are looked at together, at the first one's rate; the first that cannot be is reported by name. */
export async function openTogether(
  sources: readonly NamedSource[],
  makeCopy?: MakeCopy,
): Promise<Outcome<OpenedFile[]>> {
  const opened: OpenedFile[] = [];
  for (const { file, source } of sources) {
    const audio = await openAudio(source, file, makeCopy);
    if (!audio.ok) return audio;
    const { sound, remarks } = audio.value;
    const problem = soundProblem(file, sound);
    if (problem) return problem;
    const rateHz = opened[0]?.sound.sampleRateHz ?? sound.sampleRateHz;
    const convertedSamples = (sound.frames * sound.channelCount * rateHz) / sound.sampleRateHz;
    if (convertedSamples > MOST_SAMPLES) {
      return FILE_PROBLEMS.convertedTooLong(file, sound.sampleRateHz, rateHz);
    }
    opened.push({ file, sound, remarks });
  }
  return { ok: true, value: opened };
}
