import { z } from "zod";
import { eachSample } from "../audio/in-order";
import { applyGains, levelsDb, smoothReduction } from "./level-detection";
import { defineProcessor, mixed, parameter } from "./processor";

export const upwardCompressor = defineProcessor({
  key: "upward-compressor",
  name: "Compressor, upward",
  about: "Lifts levels below the threshold, up to a range; peaks stay.",
  family: "compressor",
  parameters: z.object({
    thresholdDb: parameter("Threshold", "dBFS", -80, 0, -30),
    ratio: parameter("Ratio", ":1", 1, 20, 2),
    rangeDb: parameter("Range", "dB", 0, 40, 12),
    attackMs: parameter("Attack", "ms", 0, 500, 5),
    releaseMs: parameter("Release", "ms", 5, 5000, 150),
    outputDb: parameter("Output", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
  }),
  process(sound, { thresholdDb, ratio, rangeDb, attackMs, releaseMs, outputDb, mixPercent }) {
    const lifts = eachSample(levelsDb(sound, 20), (level) =>
      Math.min(rangeDb, Math.max(0, (thresholdDb - level) * (1 - 1 / ratio))),
    );
    // Attack is the way down, when the level comes up.
    const gains = smoothReduction(lifts, attackMs, releaseMs);
    return mixed(sound, applyGains(sound, gains, outputDb), mixPercent);
  },
});
