import { type Clip, frameCount } from "../audio/clip";
import { READ_REACH, readBetween } from "../audio/read-between";
import { type Placement, renderFrameAt } from "./alignment";

/** Raise when a corrected sample would come out differently. */
export const CORRECTION_VERSION = 1;

/** Whether bringing a render in step leaves its samples what they are: a whole delay and no drift. */
export const isWhole = ({ delaySamples, driftPpm }: Placement): boolean => Number.isInteger(delaySamples) && !driftPpm;

/**
 * The render laid on its dry one: delay and drift taken out, channels back in their places and the right way up, cut or
 * zero-filled to `frames`. Whole delays without drift are bit for bit; others are read between the samples by a windowed sinc.
 * The input is never changed; it is returned when it fits.
 */
export function putInStep(render: Clip, placement: Placement, frames: number): Clip {
  const { delaySamples, driftPpm, polarity, swapped } = placement;
  const upright = polarity.left === 1 && polarity.right === 1;
  if (delaySamples === 0 && !driftPpm && upright && !swapped && frameCount(render) === frames) return render;
  const ordered = swapped ? render.channels.toReversed() : render.channels;
  const channels = ordered.map((channel, c) => {
    const laid = isWhole(placement)
      ? shifted(channel, delaySamples, frames)
      : readBetween(channel, delaySamples, 1 + (driftPpm ?? 0) * 1e-6, frames);
    return (c === 0 ? polarity.left : polarity.right) === 1 ? laid : flipped(laid);
  });
  return { sampleRateHz: render.sampleRateHz, channels };
}

function shifted(channel: Float32Array, delay: number, frames: number): Float32Array {
  const output = new Float32Array(frames);
  const from = Math.max(0, -delay);
  const source = channel.subarray(Math.max(0, delay), Math.max(0, Math.min(channel.length, delay + frames)));
  output.set(source.subarray(0, Math.max(0, frames - from)), Math.min(from, frames));
  return output;
}

/** In place: what comes in is a copy already. */
function flipped(samples: Float32Array): Float32Array {
  for (let i = 0; i < samples.length; i++) samples[i] = -samples[i];
  return samples;
}

/**
 * Frames [start, end) of the dry render that both it and the aligned render cover. What had to be read between the samples is not known
 * as far from the render's ends as the filter reaches, nor are `edgeFrames` there (from a rate conversion): that is left out.
 */
export function sharedFrames(
  referenceFrames: number,
  renderFrames: number,
  placement: Placement,
  edgeFrames = 0,
): { startFrame: number; endFrame: number } {
  const slope = 1 + (placement.driftPpm ?? 0) * 1e-6;
  const unknown = edgeFrames + (isWhole(placement) ? 0 : READ_REACH);
  // The dry frames that fall on the render's first and past its last.
  const first = Math.ceil((unknown - placement.delaySamples) / slope);
  const end = Math.floor((renderFrames - 1 - unknown - placement.delaySamples) / slope) + 1;
  const startFrame = Math.min(referenceFrames, Math.max(0, first));
  return { startFrame, endFrame: Math.max(startFrame, Math.min(referenceFrames, end)) };
}

/** What of a render lies outside its dry one, in frames of the dry one: before its start, after its end; what it lacks there. */
export function overhang(referenceFrames: number, renderFrames: number, placement: Placement) {
  const slope = 1 + (placement.driftPpm ?? 0) * 1e-6;
  const before = renderFrameAt(placement, 0);
  const after = (renderFrames - placement.delaySamples) / slope - referenceFrames;
  return {
    leadInFrames: Math.max(0, Math.round(before)),
    lackingStartFrames: Math.max(0, Math.round(-before)),
    tailFrames: Math.max(0, Math.round(after)),
    lackingEndFrames: Math.max(0, Math.round(-after)),
  };
}
