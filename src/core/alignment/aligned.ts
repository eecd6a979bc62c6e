import { type Clip, frameCount } from "../audio/clip";
import { READ_REACH, soundBetween } from "../audio/read-between";
import { clipOf, readWithSilence, type Sound, soundOf } from "../audio/sound";
import { type Placement, renderFrameAt } from "./alignment";

/** Raise when a corrected sample would come out differently. */
export const CORRECTION_VERSION = 2;

/** Whether bringing a render aligned leaves its samples what they are: a whole delay and no drift. */
export const isWhole = ({ delaySamples, driftPpm }: Placement): boolean => Number.isInteger(delaySamples) && !driftPpm;

/** The same of a clip, all at once; it is returned when it fits. */
export const alignedClip = (render: Clip, placement: Placement, frames: number): Clip =>
  isAligned(placement) && frameCount(render) === frames
    ? render
    : clipOf(alignedSound(soundOf(render), placement, frames));

/** Whether nothing is to be undone. */
export const isAligned = (placement: Placement): boolean => {
  const { delaySamples, polarity, swapped } = placement;
  return isWhole(placement) && delaySamples === 0 && polarity.left === 1 && polarity.right === 1 && !swapped;
};

/**
 * The render laid on its dry one, as it is read: delay and drift taken out, channels back in their places and the right way up, cut or
 * silence-filled to `frames`. Whole delays without drift are bit for bit; others are read between the samples by a windowed sinc.
 */
export function alignedSound(render: Sound, placement: Placement, frames: number): Sound {
  if (isAligned(placement) && render.frames === frames) return render;
  const { delaySamples, driftPpm, polarity, swapped } = placement;
  const { sampleRateHz, channelCount } = render;
  const laid = isWhole(placement)
    ? { read: (from: number, count: number, into?: Float32Array[]) => render.read(from + delaySamples, count, into) }
    : soundBetween(render, delaySamples, 1 + (driftPpm ?? 0) * 1e-6, frames);
  const readInside = (from: number, count: number, into?: Float32Array[]) => {
    const channels = laid.read(from, count, into);
    const ordered = swapped ? channels.toReversed() : channels;
    return ordered.map((channel, c) =>
      (c === 0 ? polarity.left : polarity.right) === 1 ? channel : channel.map((v) => -v),
    );
  };
  return {
    sampleRateHz,
    channelCount,
    frames,
    read: (startFrame, count, into) => readWithSilence({ frames, channelCount }, startFrame, count, readInside, into),
  };
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
