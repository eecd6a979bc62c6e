import { z } from "zod";
import { type Clip, frameCount } from "../audio/clip";
import { log } from "../audio/exact-math";

/** Where a sound sets in, and how strongly against the strongest, 0 to 1. */
export const onsetSchema = z.object({ frame: z.number().int().min(0), strength: z.number().min(0).max(1) });
export type Onset = z.infer<typeof onsetSchema>;

/** Energy is compared in steps of this; an onset is then found to the sample inside one. */
const STEP_SECONDS = 0.002;
/** What came before is averaged over this many steps. */
const STEPS_BEFORE = 10;
/** Onsets closer than this are one. */
const APART_SECONDS = 0.15;
/** What is this far under the loudest step (power) is no onset worth looking at. */
const LEAST_POWER = 1e-4;

/**
 * Onsets of a sound, at most `wanted`, in time order: where the energy of a short step stands out most over what came just
 * before it. Meant for the eye: a picture around one of them shows whether renders are in step. Empty for silence.
 */
export function findOnsets(clip: Clip, wanted: number): Onset[] {
  const stepFrames = Math.max(1, Math.round(STEP_SECONDS * clip.sampleRateHz));
  const steps = stepPowers(clip, stepFrames);
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
      frame: firstRise(clip, step * stepFrames, stepFrames),
      strength: rises[step] / rises[order[0]],
    }));
}

/** Energy of each step, over all channels. */
function stepPowers(clip: Clip, stepFrames: number): Float64Array {
  const steps = new Float64Array(Math.floor(frameCount(clip) / stepFrames));
  for (const channel of clip.channels) {
    for (let s = 0; s < steps.length; s++) {
      let power = 0;
      for (let i = s * stepFrames; i < (s + 1) * stepFrames; i++) power += channel[i] * channel[i];
      steps[s] += power;
    }
  }
  return steps;
}

/** The first frame of a step and the one before it that passes a tenth of their peak. */
function firstRise(clip: Clip, start: number, stepFrames: number): number {
  const from = Math.max(0, start - stepFrames);
  const to = Math.min(frameCount(clip), start + stepFrames);
  const magnitude = (i: number) => clip.channels.reduce((most, c) => Math.max(most, Math.abs(c[i])), 0);
  let peak = 0;
  for (let i = from; i < to; i++) peak = Math.max(peak, magnitude(i));
  for (let i = from; i < to; i++) if (magnitude(i) > 0.1 * peak) return i;
  return start;
}
