import { innerProduct, largestMagnitude } from "../kernels/sums";

/**
 * Audio in memory: one Float32Array a channel, all of one length, full scale at ±1.
 * One or two channels unless a function says otherwise; 8 kHz to 384 kHz.
 */
export type Clip = { readonly channels: readonly Float32Array[]; readonly sampleRateHz: number };

export const frameCount = (clip: Clip): number => clip.channels[0]?.length ?? 0;

/** Frames [startFrame, endFrame) as views onto the same memory. */
export function sliceClip(clip: Clip, startFrame: number, endFrame: number): Clip {
  return { sampleRateHz: clip.sampleRateHz, channels: clip.channels.map((c) => c.subarray(startFrame, endFrame)) };
}

/** A copy, every sample multiplied by `gain` (linear, may be negative). */
export function scaleClip(clip: Clip, gain: number): Clip {
  return { sampleRateHz: clip.sampleRateHz, channels: clip.channels.map((c) => c.map((v) => v * gain)) };
}

/** Sum of squares over all channels and frames, in 64 bits. */
export const energy = (clip: Clip): number => clip.channels.reduce((sum, c) => sum + innerProduct(c, c), 0);

/** Largest magnitude over all channels. */
export const samplePeak = (clip: Clip): number =>
  clip.channels.reduce((peak, channel) => Math.max(peak, largestMagnitude(channel)), 0);
