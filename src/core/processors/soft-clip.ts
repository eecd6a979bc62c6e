import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { tanh } from "../audio/exact-math";
import { oversampled, oversamplingParameter } from "./oversampling";
import { defineProcessor, parameter } from "./processor";

/** Straight up to the knee, then a tanh that joins it without a corner and never reaches the ceiling. */
export function softClipSample(value: number, ceiling: number, kneeShare: number): number {
  const knee = ceiling * (1 - kneeShare);
  const magnitude = Math.abs(value);
  if (magnitude <= knee) return value;
  const room = ceiling - knee;
  return Math.sign(value) * (knee + room * tanh((magnitude - knee) / room));
}

export const softClip = defineProcessor({
  key: "soft-clip",
  name: "Soft clip",
  about: "Rounds off peaks instead of clipping them; unchanged below the knee.",
  family: "limiter",
  parameters: z.object({
    inputDb: parameter("Input gain", "dB", -24, 36, 0),
    ceilingDb: parameter("Ceiling", "dBFS", -24, 0, -0.5),
    kneePercent: parameter("Knee", "% of the ceiling", 1, 100, 50),
    oversampling: oversamplingParameter(4),
  }),
  process(sound, { inputDb, ceilingDb, kneePercent, oversampling }) {
    const gain = amplitudeFromDb(inputDb);
    const ceiling = amplitudeFromDb(ceilingDb);
    return oversampled(sound, oversampling, (v) => softClipSample(v * gain, ceiling, kneePercent / 100));
  },
});
