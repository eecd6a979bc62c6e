import { z } from "zod";
import { eachInOrder } from "../audio/in-order";
import { applyGains, compressedLevelDb, levelsDb, onePole } from "./level-detection";
import { defineProcessor, mixed, parameter } from "./processor";

/**
 * Release in two stages: half of the reduction comes back fast, the rest slowly, and the slow part only grows under lasting
 * reduction, so a single hit is let go of sooner than a loud verse. Common practice of light-controlled levellers, no
 * published source.
 */
export const slowLeveller = defineProcessor({
  key: "slow-leveller",
  name: "Leveller, slow and programme-dependent",
  about: "A gentle RMS compressor: fast release after a hit, slow release after a loud stretch.",
  family: "compressor",
  parameters: z.object({
    thresholdDb: parameter("Threshold", "dBFS", -60, 0, -24),
    ratio: parameter("Ratio", ":1", 1, 20, 3),
    kneeDb: parameter("Knee", "dB", 0, 30, 15),
    attackMs: parameter("Attack", "ms", 1, 200, 15),
    fastReleaseMs: parameter("Fast release", "ms", 20, 500, 80),
    slowReleaseMs: parameter("Slow release", "ms", 200, 10_000, 1800),
    makeupDb: parameter("Make-up", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
  }),
  process(sound, { thresholdDb, ratio, kneeDb, attackMs, fastReleaseMs, slowReleaseMs, makeupDb, mixPercent }) {
    const attack = onePole(attackMs, sound.sampleRateHz);
    const fast = onePole(fastReleaseMs, sound.sampleRateHz);
    const slowIn = onePole(slowReleaseMs / 4, sound.sampleRateHz);
    const slowOut = onePole(slowReleaseMs, sound.sampleRateHz);
    const gains = eachInOrder(levelsDb(sound, 30), () => {
      const memory = new Float64Array(2);
      return (levels) => {
        let [quick, lasting] = memory;
        for (let i = 0; i < levels.length; i++) {
          const wanted = compressedLevelDb(levels[i], thresholdDb, ratio, kneeDb) - levels[i];
          quick = wanted + (wanted < quick ? attack : fast) * (quick - wanted);
          const half = wanted / 2;
          lasting = half + (half < lasting ? slowIn : slowOut) * (lasting - half);
          levels[i] = Math.min(quick, lasting);
        }
        memory.set([quick, lasting]);
        return levels;
      };
    });
    return mixed(sound, applyGains(sound, gains, makeupDb), mixPercent);
  },
});
