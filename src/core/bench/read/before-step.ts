import { dbFromPower } from "../../audio/decibels";
import { powerErrorDb } from "./power-error";
import type { ChannelReading } from "./read-channel";

type Steps = Pick<ChannelReading, "input" | "noisePower">;

/** What an expander lets through at rest has to stand so far above noise before it is told how far it opens, and how fast (power). */
const REST_OVER_NOISE = 100;

/** Whether what comes back between bursts lies in noise, or hardly above it. */
export function isRestHidden({ input, noisePower }: Steps): boolean {
  const { startFrame, frames } = input.parts.bursts.rest;
  const power = input.back.subarray(startFrame, startFrame + frames).reduce((sum, v) => sum + v * v, 0) / frames;
  return power < REST_OVER_NOISE * noisePower;
}

/** Gain is looked at in so many ms before a step. It has moved ahead where it is off by this share of what it moves by, and by so many errors. */
const AHEAD_MS = [0.5, 1, 2, 4];
const AHEAD_SHARE = 0.15;
const AHEAD_SIGMAS = 4;

/** Whether gain moves ahead of the step: where a model has no look-ahead its times begin nowhere then. */
export function movesAhead({ input, noisePower }: Steps, reductionDb: number): boolean {
  const { rest, long } = input.parts.bursts;
  const rate = input.plan.form.sampleRateHz;
  const powerIn = (from: number, to: number) =>
    input.back.subarray(from, to).reduce((sum, v) => sum + v * v, 0) / (to - from) - noisePower;
  const usual = powerIn(rest.startFrame + Math.round(rest.frames / 2), long.startFrame - Math.round(0.1 * rate));
  if (usual <= 0) return false;
  return AHEAD_MS.some((ms) => {
    const frames = Math.max(1, Math.round((ms / 1000) * rate));
    const errorDb = powerErrorDb(noisePower / usual, frames);
    const movedDb = dbFromPower(Math.max(1e-3, powerIn(long.startFrame - frames, long.startFrame) / usual));
    return Math.abs(movedDb) > Math.max(AHEAD_SHARE * Math.abs(reductionDb), AHEAD_SIGMAS * errorDb);
  });
}
