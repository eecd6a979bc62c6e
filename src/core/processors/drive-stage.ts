import { z } from "zod";
import { amplitudeFromDb } from "../audio/decibels";
import { tanh } from "../audio/exact-math";
import { oversampled, oversamplingParameter } from "./oversampling";
import { defineProcessor, mixed, parameter } from "./processor";

/** tanh with its small-signal gain set to one: odd harmonics alone. Near-unity for quiet material. */
export function driveSample(value: number, drive: number): number {
  return tanh(value * drive) / drive;
}

export const driveStage = defineProcessor({
  key: "drive-stage",
  name: "Saturator, symmetric",
  about: "Symmetric saturation: odd harmonics only.",
  family: "saturator",
  parameters: z.object({
    driveDb: parameter("Drive", "dB", 0, 36, 6),
    outputDb: parameter("Output", "dB", -24, 24, 0),
    mixPercent: parameter("Mix", "%", 0, 100, 100),
    oversampling: oversamplingParameter(4),
  }),
  process(sound, { driveDb, outputDb, mixPercent, oversampling }) {
    const drive = amplitudeFromDb(driveDb);
    const output = amplitudeFromDb(outputDb);
    return mixed(
      sound,
      oversampled(sound, oversampling, (v) => output * driveSample(v, drive)),
      mixPercent,
    );
  },
});
