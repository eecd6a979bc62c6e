import { z } from "zod";
import type { Clip } from "../../audio/clip";
import { amplitudeFromDb, dbFromPower } from "../../audio/decibels";
import { clipOf, soundOf } from "../../audio/sound";
import { type Chain, runChain } from "../../processors/chain";
import { processorOf } from "../../processors/registry";
import type { Burst, Bursts, SignalPlan, Tone } from "../signal/signal-plan";
import { gainTimes, isQuickEnough } from "./gain-times";
import { firstAtRest, readStaticCurve, settledGains } from "./static-curve";

const millisecondsSchema = z.number().nullable();

export const sidechainResponseSchema = z.object({
  /** Level of the steady wave that is sent through meanwhile. */
  programmeDbfs: z.number(),
  /** Gain over the level of a key of one magnitude, dB against none; none where it moves too slowly for that. */
  levels: z.array(z.object({ keyDbfs: z.number(), gainDb: z.number() })),
  /** Gain over the frequency of a key at the signal's level, dB against none; those that had not come to rest are left out. */
  frequencies: z.array(z.object({ hertz: z.number(), gainDb: z.number() })),
  /** What a step of 30 dB of the sidechain takes off, dB. */
  reductionDb: z.number(),
  thresholdDbfs: z.number().nullable(),
  ratio: z.number().nullable(),
  attackMs: millisecondsSchema,
  releaseMs: millisecondsSchema,
});
/** What an external key does to a sound that stays as it is. */
export type SidechainResponse = z.infer<typeof sidechainResponseSchema>;

/** What is sent through lies so far under the sidechain's highest level: quiet, and far over rounding (dB). */
const PROGRAMME_UNDER_DB = 20;
/** A gain is read over this last part of a step, in two halves that have to agree within so much (dB). */
const READ_PART = 0.3;
const AGREE_DB = 0.1;
const REST_SECONDS = 0.5;
const FAR_BELOW_DB = [12, 9, 6];

const takesSidechain = (chain: Chain): boolean =>
  chain.some(({ processorKey }) => processorOf(processorKey)?.takesSidechain === true);

/** Sends a steady wave through a chain whose key is the test signal. Null where nothing in it takes a key. */
export function sidechainResponse(chain: Chain, plan: SignalPlan, signal: Clip): SidechainResponse | null {
  if (!takesSidechain(chain)) return null;
  const rate = plan.form.sampleRateHz;
  const programmeDbfs = plan.form.levelDbfs - PROGRAMME_UNDER_DB;
  const amplitude = amplitudeFromDb(programmeDbfs);
  const period = plan.steadyPeriod;
  const origin = plan.bursts.rest.startFrame;
  const wave = Float32Array.from({ length: plan.frames }, (_, i) =>
    (((i - origin) % period) + period) % period < period / 2 ? amplitude : -amplitude,
  );
  const mono = (channel: Float32Array) => soundOf({ sampleRateHz: rate, channels: [channel] });
  const throughBy = (channel: Float32Array, key: Float32Array): Float32Array =>
    clipOf(runChain(mono(channel), chain, { key: mono(key) })).channels[0];
  const back = throughBy(wave, signal.channels[0]);
  /** Gain over whole periods up to a frame. */
  const gainUntil = (channel: Float32Array, to: number, frames: number): number => {
    let power = 0;
    const count = Math.floor(frames / period) * period;
    for (let i = to - count; i < to; i++) power += channel[i] * channel[i];
    return dbFromPower(Math.max(1e-16, power / count)) - programmeDbfs;
  };
  const restFrames = Math.round(REST_SECONDS * rate);
  const atRest = gainUntil(
    throughBy(wave.slice(0, restFrames), new Float32Array(restFrames)),
    restFrames,
    restFrames / 2,
  );
  /** Gain against none at the end of a step; null where it still moves. */
  const gainOf = ({ startFrame, frames }: { startFrame: number; frames: number }): number | null => {
    const end = startFrame + frames;
    const half = (READ_PART * frames) / 2;
    const [earlier, later] = [gainUntil(back, end - Math.round(half), half), gainUntil(back, end, half)];
    return Math.abs(earlier - later) < AGREE_DB ? later - atRest : null;
  };
  const tones: Tone[] = [plan.deep, ...plan.series].toSorted((a, b) => a.hertz - b.hertz);
  const frequencies = tones.flatMap((tone) => {
    const gain = gainOf(tone);
    return gain === null ? [] : [{ hertz: tone.hertz, gainDb: gain }];
  });
  // The same steps as ever, but of the sidechain: what is sent through has one level throughout.
  const level = { leftDbfs: programmeDbfs, rightDbfs: programmeDbfs };
  const { rest, long, afterLong, short, afterShort } = plan.bursts;
  const even = (burst: Burst): Burst => ({ ...burst, ...level });
  const bursts: Bursts = {
    rest: even(rest),
    long: even(long),
    afterLong: even(afterLong),
    short: even(short),
    afterShort: even(afterShort),
  };
  const times = gainTimes(back, { bursts }, plan);
  const stepMs = (1000 * plan.steady[0].frames) / rate;
  const read = plan.steady.map(
    (step) => gainUntil(back, step.startFrame + step.frames, READ_PART * step.frames) - atRest,
  );
  const settled = settledGains(read, stepMs * (1 - READ_PART / 2), times?.attackMs ?? null);
  // What came before may still be let go of during the first steps: a gain that rises with the sidechain says nothing of it.
  const first = firstAtRest(settled);
  const isKnown = first !== null && times !== null && isQuickEnough(times, stepMs);
  const levels = isKnown
    ? plan.steady.slice(first).map(({ levelDbfs }, i) => ({ keyDbfs: levelDbfs, gainDb: settled[first + i] }))
    : [];
  const staticCurve = readStaticCurve([
    // No key at all is a key far below them.
    ...FAR_BELOW_DB.map((db) => ({ inDbfs: plan.steady[0].levelDbfs - db, outDbfs: plan.steady[0].levelDbfs - db })),
    ...levels.map(({ keyDbfs, gainDb }) => ({ inDbfs: keyDbfs, outDbfs: keyDbfs + gainDb })),
  ]);
  return {
    programmeDbfs,
    levels,
    frequencies: isKnown ? frequencies : [],
    reductionDb: times?.reductionDb ?? 0,
    thresholdDbfs: staticCurve?.thresholdDbfs ?? null,
    ratio: staticCurve?.ratio ?? null,
    attackMs: times?.attackMs ?? null,
    releaseMs: times?.releaseMs ?? null,
  };
}
