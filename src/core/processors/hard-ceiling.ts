import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { eachSample } from "../audio/in-order";
import { defineProcessor, parameter } from "./processor";

export const hardCeiling = defineProcessor({
  key: "hard-ceiling",
  name: "Plain clip",
  about: "Clips every sample at the ceiling, with the harmonics and aliasing that causes.",
  family: "limiter",
  parameters: z.object({
    inputDb: parameter("Input gain", "dB", -24, 36, 0),
    ceilingDb: parameter("Ceiling", "dBFS", -24, 0, -1),
  }),
  process(sound, { inputDb, ceilingDb }) {
    const gain = amplitudeFromDb(inputDb);
    const ceiling = amplitudeFromDb(ceilingDb);
    return eachSample(sound, (v) => Math.max(-ceiling, Math.min(ceiling, v * gain)));
  },
});
