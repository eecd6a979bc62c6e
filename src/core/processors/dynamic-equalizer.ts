import { z } from "zod";
import { bilinear } from "../audio/analogue";
import { filterBiquad } from "../audio/biquad";
import { pow } from "../audio/exact-math";
import { levelsDb, onePole } from "./level-detection";
import { defineProcessor, eachChannel, parameter } from "./processor";

/**
 * y = x + (g − 1) · band(x): a bell whose gain follows the level inside it. Without crossovers: at rest it is bit for bit
 * the input.
 */
export const dynamicEqualizer = defineProcessor({
  key: "dynamic-equalizer",
  name: "Dynamic equalizer, one bell",
  about: "A bell that moves by the level inside its own band; nothing is split, so at rest nothing is changed.",
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
  process(clip, { frequencyHz, q, thresholdDb, ratio, rangeDb, attackMs, releaseMs, outputDb }) {
    const section = { cornerHz: frequencyHz, numerator: [0, 1 / q, 0], denominator: [1, 1 / q, 1] } as const;
    const filter = bilinear(section, clip.sampleRateHz);
    const band = eachChannel(clip, (channel) => filterBiquad(channel, filter));
    const gains = levelsDb(band, 5);
    const attack = onePole(attackMs, clip.sampleRateHz);
    const release = onePole(releaseMs, clip.sampleRateHz);
    const output = pow(10, outputDb / 20);
    let state = 0;
    for (let i = 0; i < gains.length; i++) {
      const over = Math.max(0, gains[i] - thresholdDb) * (1 - 1 / ratio);
      // A range below 0 dB cuts what is loud, one above lifts it.
      const wanted = Math.min(Math.abs(rangeDb), over);
      state = wanted + (wanted > state ? attack : release) * (state - wanted);
      gains[i] = pow(10, (Math.sign(rangeDb) * state) / 20) - 1;
    }
    return eachChannel(clip, (channel, c) => channel.map((v, i) => output * (v + gains[i] * band.channels[c][i])));
  },
});
