import { overviewOf } from "@/core/audio/overview";
import { measureLevels } from "@/core/loudness/measure";
import { sine } from "@/core/testing/signals";
import type { Inspected } from "@/workers/tasks";

/** What a worker would say of a second of mono tone whose content hash is `hash`. */
export function inspectedTone(hash: string, peakDbfs: number): Inspected {
  const clip = sine({ hertz: 1000, peakDbfs, seconds: 1, channels: 1 });
  return {
    hash,
    sampleRateHz: 48_000,
    channelCount: 1,
    frames: 48_000,
    encoding: "24-bit",
    remarks: [],
    levels: measureLevels(clip),
    overview: overviewOf(clip, 10),
  };
}
