import { z } from "zod";
import type { Clip } from "../audio/clip";
import { log } from "../audio/exact-math";
import { piecesOf, type Sound, soundOf } from "../audio/sound";

/** Where a sound sets in, and how strongly against the strongest, 0 to 1. */
export const transientSchema = z.object({ frame: z.number().int().min(0), strength: z.number().min(0).max(1) });
export type Transient = z.infer<typeof transientSchema>;

/** Energy is compared in steps of this; an transient is then found to the sample inside one. */
const STEP_SECONDS = 0.002;
/** What came before is averaged over this many steps. */
const STEPS_BEFORE = 10;
/** Transients closer than this are one. */
const APART_SECONDS = 0.15;
/** What is this far under the loudest step (power) is no transient worth looking at. */
const LEAST_POWER = 1e-4;

/**
 * Transients of a sound, at most `wanted`, in time order: where the energy of a short step stands out most over what came just
 * before it. Meant for the eye: a picture around one of them shows whether renders are aligned. Empty for silence.
 */
export function findTransients(clip: Sound | Clip, wanted: number): Transient[] {
  const sound = soundOf(clip);
  const stepFrames = Math.max(1, Math.round(STEP_SECONDS * sound.sampleRateHz));
  const steps = stepPowers(sound, stepFrames);
  const loudest = steps.reduce((a, b) => Math.max(a, b), 0);
  if (loudest === 0) return [];
  let before = 0;
  const rises = steps.map((power, i) => {
    const rise =
      power < LEAST_POWER * loudest ? 0 : power * log(power / (before / STEPS_BEFORE + LEAST_POWER * loudest) + 1);
    before += power - (i >= STEPS_BEFORE ? steps[i - STEPS_BEFORE] : 0);
    return power > (i > 0 ? steps[i - 1] : 0) ? rise : 0;
  });
  const apart = Math.round(APART_SECONDS / STEP_SECONDS);
  const taken: number[] = [];
  const order = Array.from(rises.keys()).sort((a, b) => rises[b] - rises[a]);
  for (const step of order) {
    if (taken.length === wanted || rises[step] === 0) break;
    if (taken.every((t) => Math.abs(t - step) >= apart)) taken.push(step);
  }
  return taken
    .sort((a, b) => a - b)
    .map((step) => ({
      frame: firstRise(sound, step * stepFrames, stepFrames),
      strength: rises[step] / rises[order[0]],
    }));
}

/** Energy of each step, over all channels. */
function stepPowers(sound: Sound, stepFrames: number): Float64Array {
  const steps = new Float64Array(Math.floor(sound.frames / stepFrames));
  for (const { startFrame, channels } of piecesOf(sound)) {
    for (const channel of channels) {
      let step = Math.floor(startFrame / stepFrames);
      for (let i = 0; i < channel.length && step < steps.length; step++) {
        const end = Math.min(channel.length, (step + 1) * stepFrames - startFrame);
        let power = 0;
        for (; i < end; i++) power += channel[i] * channel[i];
        steps[step] += power;
      }
    }
  }
  return steps;
}

/** The first frame of a step and the one before it that passes a tenth of their peak. */
function firstRise(sound: Sound, start: number, stepFrames: number): number {
  const from = Math.max(0, start - stepFrames);
  const channels = sound.read(from, Math.min(sound.frames, start + stepFrames) - from);
  const magnitudes = Float32Array.from(channels[0], (_, i) =>
    channels.reduce((most, c) => Math.max(most, Math.abs(c[i])), 0),
  );
  const peak = magnitudes.reduce((a, b) => Math.max(a, b), 0);
  const first = magnitudes.findIndex((magnitude) => magnitude > 0.1 * peak);
  return first < 0 ? start : from + first;
}
