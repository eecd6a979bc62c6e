import { z } from "zod";
import { bilinear } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { pow } from "../audio/exact-math";
import { eachSample, together } from "../audio/in-order";
import { levelsDb, smoothReduction } from "./level-detection";
import { defineProcessor, parameter } from "./processor";

/**
 * y = x + (g − 1) · band(x): a bell whose gain follows the level inside it. Without crossovers: at rest it is bit for bit
 * the input.
 */
export const dynamicEqualizer = defineProcessor({
  key: "dynamic-equalizer",
  name: "Dynamic equalizer, one bell",
  about: "A bell whose gain follows the level in its own band. No crossover: unchanged at rest.",
  family: "compressor",
  parameters: z.object({
    frequencyHz: parameter("Frequency", "Hz", 20, 20_000, 3000),
    q: parameter("Q", "", 0.2, 12, 1.5),
    thresholdDb: parameter("Threshold", "dBFS", -80, 0, -36),
    ratio: parameter("Ratio", ":1", 1, 20, 3),
    rangeDb: parameter("Range", "dB", -24, 24, -9),
    attackMs: parameter("Attack", "ms", 0, 500, 5),
    releaseMs: parameter("Release", "ms", 5, 5000, 100),
    outputDb: parameter("Output", "dB", -24, 24, 0),
  }),
  process(sound, { frequencyHz, q, thresholdDb, ratio, rangeDb, attackMs, releaseMs, outputDb }) {
    const section = { cornerHz: frequencyHz, numerator: [0, 1 / q, 0], denominator: [1, 1 / q, 1] } as const;
    const band = throughBiquads(sound, [bilinear(section, sound.sampleRateHz)]);
    const output = pow(10, outputDb / 20);
    // A range below 0 dB cuts what is loud, one above lifts it.
    const moves = eachSample(
      levelsDb(band, 5),
      (level) => -Math.min(Math.abs(rangeDb), Math.max(0, level - thresholdDb) * (1 - 1 / ratio)),
    );
    // How much of the band is added.
    const shares = eachSample(
      smoothReduction(moves, attackMs, releaseMs),
      (move) => pow(10, (-Math.sign(rangeDb) * move) / 20) - 1,
    );
    return together([sound, shares, band], (result, channel, share, inside) => {
      for (let i = 0; i < result.length; i++) result[i] = output * (channel[i] + share[i] * inside[i]);
    });
  },
});
