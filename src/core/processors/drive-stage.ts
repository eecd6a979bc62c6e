import { z } from "zod";
import { type Clip, frameCount } from "../audio/clip";
import { amplitudeFromDb } from "../audio/decibels";
import { OVERSAMPLING_QUALITY, resample } from "../audio/resample";
import { defineProcessor, parameter } from "./processor";

/** tanh with its small-signal gain set to one: odd harmonics alone. Near-unity for quiet material. */
export function driveSample(value: number, drive: number): number {
  return Math.tanh(value * drive) / drive;
}

export const driveStage = defineProcessor({
  key: "drive-stage",
  name: "Drive stage, symmetric",
  family: "saturator",
  parameters: z.object({
    driveDb: parameter("Drive", "dB", 0, 36, 6),
    outputDb: parameter("Output", "dB", -24, 24, 0),
    oversampling: z
      .union([z.literal(1), z.literal(2), z.literal(4)])
      .default(4)
      .meta({ label: "Oversampling", unit: "×" }),
  }),
  process(clip, settings) {
    const drive = amplitudeFromDb(settings.driveDb);
    const output = amplitudeFromDb(settings.outputDb);
    const raised = resample(clip, clip.sampleRateHz * settings.oversampling, OVERSAMPLING_QUALITY);
    const driven: Clip = {
      sampleRateHz: raised.sampleRateHz,
      channels: raised.channels.map((channel) => channel.map((v) => output * driveSample(v, drive))),
    };
    const lowered = resample(driven, clip.sampleRateHz, OVERSAMPLING_QUALITY);
    return { ...lowered, channels: lowered.channels.map((c) => c.subarray(0, frameCount(clip))) };
  },
});
