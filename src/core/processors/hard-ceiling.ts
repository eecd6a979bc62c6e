import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { defineProcessor, parameter } from "./processor";

export const hardCeiling = defineProcessor({
  key: "hard-ceiling",
  name: "Hard ceiling",
  family: "limiter",
  parameters: z.object({
    inputDb: parameter("Input", "dB", -24, 24, 0),
    ceilingDbfs: parameter("Ceiling", "dBFS", -24, 0, -1),
  }),
  process(clip, settings) {
    const gain = amplitudeFromDb(settings.inputDb);
    const ceiling = amplitudeFromDb(settings.ceilingDbfs);
    return {
      ...clip,
      channels: clip.channels.map((c) => c.map((v) => Math.max(-ceiling, Math.min(ceiling, v * gain)))),
    };
  },
});
