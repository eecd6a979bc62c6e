import { overviewOf } from "@/core/audio/overview";
import type { FileReading } from "@/core/formats/file-reading";
import { type Levels, measureLevels } from "@/core/loudness/measure";
import { sine } from "@/core/stimuli/signals";
import { createComparison } from "./comparisons";
import { database } from "./database";
import { type Addition, addRenders } from "./import-files";

/** What a worker would say of a second of mono tone whose content hash is `hash`. */
export function readTone(hash: string, peakDbfs: number): { reading: FileReading; levels: Levels } {
  const clip = sine({ hertz: 1000, peakDbfs, seconds: 1, channels: 1 });
  const reading = {
    hash,
    sampleRateHz: 48_000,
    channelCount: 1,
    frames: 48_000,
    encoding: "24-bit",
    remarks: [],
    overview: overviewOf(clip, 10),
  };
  return { reading, levels: measureLevels(clip) };
}

/** A tone of some level as a render to be added. */
export const addition = (name: string, peakDbfs: number, dry = false): Addition => ({
  file: new File([name], name),
  ...readTone(`hash of ${peakDbfs}`, peakDbfs),
  candidateTitle: name.replace(".wav", ""),
  dry,
});

/** A comparison of one passage with three renders. */
export async function filled() {
  const comparison = await createComparison("Test");
  const passageId = await addRenders(comparison.id, { title: "Verse" }, [
    addition("a.wav", -20),
    addition("dry.wav", -23, true),
    addition("b.wav", -12),
  ]);
  const passage = await database.passages.get(passageId);
  const renders = await database.renders.where({ passageId }).toArray();
  if (!passage) throw new Error("no passage");
  const named = (name: string) => renders.find((r) => r.fileName === name) ?? renders[0];
  return { comparison, passage, renders, dry: named("dry.wav"), a: named("a.wav"), b: named("b.wav") };
}
