import { z } from "zod";
import { eachInOrder } from "../audio/in-order";
import { channelSeed, seededRandom } from "../audio/random";
import { atRate } from "../audio/resample";
import { choice, defineProcessor, step } from "./processor";

/** Any fixed number: the same input gives the same output. */
const DITHER_SEED = 16_384;

export const converter = defineProcessor({
  key: "converter",
  name: "Rate and word-length converter",
  about: "Converts to another sample rate and word length, with or without dither.",
  family: "other",
  parameters: z.object({
    rateHz: step("Rate", "Hz", [32_000, 44_100, 48_000, 88_200, 96_000, 176_400, 192_000], 44_100),
    wordLength: step("Word length", "bit", [8, 12, 16, 20, 24], 16),
    dither: choice("Dither", ["none", "rectangular", "triangular"], "triangular"),
  }),
  process(sound, { rateHz, wordLength, dither }) {
    const full = 2 ** (wordLength - 1);
    return eachInOrder(atRate(sound, rateHz), (c) => {
      const random = seededRandom(channelSeed(DITHER_SEED, c));
      const shake = {
        none: () => 0,
        rectangular: () => random() - 0.5,
        triangular: () => random() - random(),
      }[dither];
      return (channel) =>
        channel.map((v) => Math.max(-full, Math.min(full - 1, Math.round(v * full + shake()))) / full);
    });
  },
});
