import { z } from "zod";
import { applyGains, levelsDb, onePole } from "./level-detection";
import { defineProcessor, mixed, parameter } from "./processor";

export const upwardCompressor = defineProcessor({
  key: "upward-compressor",
  name: "Compressor, upward",
  about: "Lifts what lies under the threshold and leaves peaks alone, up to a range.",
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
  process(clip, { thresholdDb, ratio, rangeDb, attackMs, releaseMs, outputDb, mixPercent }) {
    const gains = levelsDb(clip, 20);
    const attack = onePole(attackMs, clip.sampleRateHz);
    const release = onePole(releaseMs, clip.sampleRateHz);
    let state = 0;
    for (let i = 0; i < gains.length; i++) {
      const wanted = Math.min(rangeDb, Math.max(0, (thresholdDb - gains[i]) * (1 - 1 / ratio)));
      // Attack is the way down, when the level comes up.
      state = wanted + (wanted < state ? attack : release) * (state - wanted);
      gains[i] = state;
    }
    return mixed(clip, applyGains(clip, gains, outputDb), mixPercent);
  },
});
