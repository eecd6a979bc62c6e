import { z } from "zod";
import type { Clip } from "../audio/clip";
import { splitBands } from "../audio/crossover";
import { applyGains, compressedLevelDb, levelsDb, smoothReduction } from "./level-detection";
import { defineProcessor, parameter } from "./processor";

export const multibandCompressor = defineProcessor({
  key: "multiband-compressor",
  name: "Compressor, three bands",
  about: "Three compressors behind Linkwitz-Riley crossovers, which turn phase even when nothing is compressed.",
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
  process(clip, s) {
    const rate = clip.sampleRateHz;
    const split = clip.channels.map((c) => splitBands(c, [s.lowCrossoverHz, s.highCrossoverHz], rate));
    const thresholds = [s.lowThresholdDb, s.middleThresholdDb, s.highThresholdDb];
    const gains = [s.lowGainDb, s.middleGainDb, s.highGainDb];
    const bands = thresholds.map((threshold, b): Clip => {
      const band: Clip = { sampleRateHz: rate, channels: split.map((bandsOf) => bandsOf[b]) };
      const levels = levelsDb(band, 10);
      const wanted = levels.map((level) => compressedLevelDb(level, threshold, s.ratio, s.kneeDb) - level);
      return applyGains(band, smoothReduction(wanted, s.attackMs, s.releaseMs, rate), gains[b]);
    });
    const channels = clip.channels.map((channel, c) =>
      channel.map((_, i) => bands.reduce((sum, band) => sum + band.channels[c][i], 0)),
    );
    return { ...clip, channels };
  },
});
