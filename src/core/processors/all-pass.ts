import { z } from "zod";
import { type AnalogueSection, bilinear } from "../audio/analogue";
import { throughBiquads } from "../audio/biquad";
import { count, defineProcessor, parameter, step } from "./processor";

export const allPass = defineProcessor({
  key: "all-pass",
  name: "All-pass",
  about: "Shifts phase around one frequency at unchanged level, as crossovers do.",
  family: "other",
  parameters: z.object({
    frequencyHz: parameter("Frequency", "Hz", 10, 20_000, 200),
    q: parameter("Q", "", 0.1, 10, 0.71),
    order: step("Order of a stage", "", [1, 2], 2),
    stages: count("Stages", 1, 12, 1),
  }),
  process(sound, { frequencyHz, q, order, stages }) {
    const section: AnalogueSection =
      order === 1
        ? { cornerHz: frequencyHz, numerator: [1, -1, 0], denominator: [1, 1, 0] }
        : { cornerHz: frequencyHz, numerator: [1, -1 / q, 1], denominator: [1, 1 / q, 1] };
    const filters = new Array(stages).fill(bilinear(section, sound.sampleRateHz));
    return throughBiquads(sound, filters);
  },
});
