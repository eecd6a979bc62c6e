import { type Clip, frameCount } from "../audio/clip";
import { OVERSAMPLING_QUALITY, resample } from "../audio/resample";
import { step } from "./processor";

const FACTORS = [1, 2, 4, 8, 16] as const;
type Factor = (typeof FACTORS)[number];

export const oversamplingParameter = (initial: Factor) => step("Oversampling", "×", FACTORS, initial);

/** `shape` on every channel at `factor` times the rate, brought back without delay and at the same length. */
export function oversampledChannels(
  clip: Clip,
  factor: number,
  shape: (channel: Float32Array, sampleRateHz: number) => Float32Array,
): Clip {
  const raised = resample(clip, clip.sampleRateHz * factor, OVERSAMPLING_QUALITY);
  const shaped = { ...raised, channels: raised.channels.map((c) => shape(c, raised.sampleRateHz)) };
  const lowered = resample(shaped, clip.sampleRateHz, OVERSAMPLING_QUALITY);
  return { ...lowered, channels: lowered.channels.map((c) => c.subarray(0, frameCount(clip))) };
}

/** The same for a shape without memory. */
export function oversampled(clip: Clip, factor: number, shape: (value: number) => number): Clip {
  return oversampledChannels(clip, factor, (channel) => channel.map(shape));
}
