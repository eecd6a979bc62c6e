import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { eachSample } from "../audio/in-order";
import { defineProcessor, parameter, toggle } from "./processor";

export const gain = defineProcessor({
  key: "gain",
  name: "Gain",
  about: "Level, balance and polarity only.",
  family: "other",
  parameters: z.object({
    gainDb: parameter("Gain", "dB", -60, 36, 0),
    rightOffsetDb: parameter("R/L balance", "dB", -12, 12, 0),
    flipped: toggle("Polarity inverted", false),
  }),
  process(sound, { gainDb, rightOffsetDb, flipped }) {
    const sign = flipped ? -1 : 1;
    const factors = [gainDb, gainDb + rightOffsetDb].map((db) => sign * amplitudeFromDb(db));
    return eachSample(sound, (v, c) => v * factors[c]);
  },
});
