import { type Clip, frameCount } from "../audio/clip";
import type { Alignment } from "./alignment";

/**
 * The render laid on its dry one: shifted by whole samples (bit for bit), polarity put right, cut or zero-filled to
 * `frames`. A render that was not found stays where it is. The input is never changed; it is returned when it fits.
 */
export function putInStep(render: Clip, alignment: Alignment, frames: number): Clip {
  const delay = alignment.found ? alignment.delaySamples : 0;
  const polarity = alignment.found ? alignment.polarity : 1;
  if (delay === 0 && polarity === 1 && frameCount(render) === frames) return render;
  const channels = render.channels.map((channel) => {
    const output = new Float32Array(frames);
    const from = Math.max(0, -delay);
    const source = channel.subarray(Math.max(0, delay), Math.max(0, Math.min(channel.length, delay + frames)));
    output.set(source.subarray(0, Math.max(0, frames - from)), Math.min(from, frames));
    if (polarity < 0) for (let i = 0; i < frames; i++) output[i] = -output[i];
    return output;
  });
  return { sampleRateHz: render.sampleRateHz, channels };
}

/** Frames [start, end) of the dry render that both it and the aligned render cover. */
export function sharedFrames(
  referenceFrames: number,
  renderFrames: number,
  delaySamples: number,
): { startFrame: number; endFrame: number } {
  const startFrame = Math.min(referenceFrames, Math.max(0, -delaySamples));
  return { startFrame, endFrame: Math.max(startFrame, Math.min(referenceFrames, renderFrames - delaySamples)) };
}
