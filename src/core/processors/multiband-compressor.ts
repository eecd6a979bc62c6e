import { z } from "zod";
import { splitBands } from "../audio/crossover";
import { together } from "../audio/in-order";
import { applyGains, levelsDb, reductionsDb, smoothReduction } from "./level-detection";
import { defineProcessor, parameter } from "./processor";

export const multibandCompressor = defineProcessor({
  key: "multiband-compressor",
  name: "Compressor, three bands",
  about: "Three compressors behind Linkwitz-Riley crossovers, which shift phase even without compression.",
  family: "compressor",
  parameters: z.object({
    lowCrossoverHz: parameter("Lower crossover", "Hz", 40, 1000, 200),
    highCrossoverHz: parameter("Upper crossover", "Hz", 1000, 12_000, 3000),
    lowThresholdDb: parameter("Low threshold", "dBFS", -60, 0, -24),
    middleThresholdDb: parameter("Middle threshold", "dBFS", -60, 0, -24),
    highThresholdDb: parameter("High threshold", "dBFS", -60, 0, -30),
    ratio: parameter("Ratio", ":1", 1, 20, 2.5),
    kneeDb: parameter("Knee", "dB", 0, 30, 6),
    attackMs: parameter("Attack", "ms", 0, 500, 10),
    releaseMs: parameter("Release", "ms", 5, 5000, 120),
    lowGainDb: parameter("Low gain", "dB", -12, 12, 0),
    middleGainDb: parameter("Middle gain", "dB", -12, 12, 0),
    highGainDb: parameter("High gain", "dB", -12, 12, 0),
  }),
  process(sound, s) {
    const split = splitBands(sound, [s.lowCrossoverHz, s.highCrossoverHz]);
    const thresholds = [s.lowThresholdDb, s.middleThresholdDb, s.highThresholdDb];
    const gains = [s.lowGainDb, s.middleGainDb, s.highGainDb];
    const [low, middle, high] = split.map((band, b) => {
      const wanted = reductionsDb(levelsDb(band, 10), thresholds[b], s.ratio, s.kneeDb);
      return applyGains(band, smoothReduction(wanted, s.attackMs, s.releaseMs), gains[b]);
    });
    return together([low, middle, high], (output, bottom, centre, top) => {
      for (let i = 0; i < output.length; i++) output[i] = bottom[i] + centre[i] + top[i];
    });
  },
});
