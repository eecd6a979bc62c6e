import { overviewOf } from "@/core/audio/overview";
import type { FileReading } from "@/core/formats/file-reading";
import { type Levels, measureLevels } from "@/core/loudness/measure";
import { sine } from "@/core/stimuli/signals";

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
