import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { defineProcessor, eachChannel, parameter, toggle } from "./processor";

export const gain = defineProcessor({
  key: "gain",
  name: "Gain",
  about: "Level, balance and polarity, nothing else.",
  family: "other",
  parameters: z.object({
    gainDb: parameter("Gain", "dB", -60, 36, 0),
    rightOffsetDb: parameter("Right against left", "dB", -12, 12, 0),
    flipped: toggle("Polarity flipped", false),
  }),
  process(clip, { gainDb, rightOffsetDb, flipped }) {
    const sign = flipped ? -1 : 1;
    return eachChannel(clip, (channel, c) => {
      const factor = sign * amplitudeFromDb(gainDb + (c === 1 ? rightOffsetDb : 0));
      return channel.map((v) => v * factor);
    });
  },
});
