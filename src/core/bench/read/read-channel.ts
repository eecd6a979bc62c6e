import { dbFromPower } from "../../audio/decibels";
import { log10, pow } from "../../audio/exact-math";
import type { Idle } from "../integrity/idle";
import { type GainCourse, gainCourses } from "../kind/gain-cells";
import type { SignalPlan, Sweep, Tone, Twin } from "../signal/signal-plan";
import { type BesideTone, besideTone } from "./beside-tone";
import { type GainTimes, gainTimes } from "./gain-times";
import { passesApartDb } from "./housekeeping";
import { type MemoryReading, memoryOf } from "./memory";
import type { ChannelName, Parts } from "./parts";
import { type LinearReading, readLinear, smoothed } from "./response";
import { errorsOf, magnitudesOf, SILENT_DB, sweptImpulse } from "./responses";
import { type Impulse, lateShare, liesWithin, ringsOn, sweptStretch, trimmed, wouldRing } from "./sweep-response";
import { throughResponse } from "./through-response";
import { GUARD_SECONDS, linePowers, readTone, readTwin, type ToneReading, type TwinReading } from "./tone-reading";

type Stretch = { startFrame: number; frames: number };

/** One channel as it was sent and came back, aligned to the sample. */
export type ChannelInput = {
  name: ChannelName;
  plan: SignalPlan;
  parts: Parts;
  sent: Float32Array;
  back: Float32Array;
  /** What its own sweep made of it, and what both inputs alike made of it. */
  own: Impulse;
  together: Impulse;
  idle: Idle;
  /** Pitch moves: what hangs on lines staying on their bins cannot be read high up. */
  isPitchSteady: boolean;
  /** Whether a part was not spoiled on its way. */
  isWhole: (stretch: Stretch) => boolean;
};

/** A gain at one level: what came back over what was sent. */
export type LevelGain = { inDbfs: number; gainDb: number; errorDb: number };

/** Everything that is read of one channel, each with its error; null or an empty list where a part was spoiled. */
export type ChannelReading = {
  input: ChannelInput;
  /** Nothing comes back. */
  isSilent: boolean;
  rate: number;
  noisePower: number;
  /** It rings on for longer than the signal leaves room. */
  rings: boolean;
  /** The linear response at the signal's level, and 24 dB under it; magnitudes of both sweeps, and of the one between. */
  loud: LinearReading;
  quiet: LinearReading | null;
  quietImpulse: Impulse | null;
  levels: { levelDbfs: number; magnitudeDb: number[]; errorDb: number[] }[];
  loudErrorDb: number[];
  quietErrorDb: number[];
  /** Whether the response differs between quiet and loud, over a third of an octave, beyond its error. */
  movesWithLevel: boolean;
  /** By how much two equal quiet sweeps differ, dB at the most over a third of an octave, and what noise would make of it. */
  quietApartDb: number | null;
  quietApartErrorDb: number;
  deep: ToneReading;
  ladder: ToneReading[];
  lowLadder: ToneReading[];
  highLadder: ToneReading[];
  series: ToneReading[];
  high: ToneReading[];
  modulation: TwinReading | null;
  differenceTone: TwinReading | null;
  /** Gains over level of the three ladders. */
  gains: { low: LevelGain[]; middle: LevelGain[]; high: LevelGain[] };
  memory: MemoryReading[];
  courses: GainCourse[] | null;
  times: GainTimes | null;
  beside: BesideTone | null;
  /** What two passes of one noise differ by over its level, and what noise alone would make of it, dB. */
  passesApartDb: number | null;
  passesNoiseDb: number | null;
  /** How far the level of steady waves goes to and fro, dB. */
  wandersDb: number;
};

/** What hardly comes through at all says nothing of level: so far under the highest (dB). */
const THROUGH_DB = 40;
/** A response that moves by more than this between levels moves (dB). */
const MOVES_DB = 0.2;
/** Magnitudes that noise may move by so much are noise (dB). */
const LOST_DB = 3;
/** Levels are known that noise moves by no more than this (dB). */
const KNOWN_DB = 0.5;

const cutAt = (signal: Float32Array, end: number, points: number): Float32Array => signal.slice(end - points, end);

/** Reads a channel: tone, phase, level, time, and what it adds. */
export function readChannel(input: ChannelInput): ChannelReading {
  const { plan, parts, sent, back, own, together, idle, isPitchSteady, isWhole } = input;
  const rate = plan.form.sampleRateHz;
  const noisePower = idle.noiseDbfs === null ? 0 : pow(10, idle.noiseDbfs / 10);
  const noiseDbfsAt = noiseOver(idle, rate);
  const loud = readLinear(own, true);
  const hertz = loud.response.hertz;
  const loudErrorDb = errorsOf(loud.response, plan.sweeps[0], noiseDbfsAt, rate);
  const wholeSweep = (sweep: Sweep) => {
    const { startFrame, endFrame } = sweptStretch(sweep, rate);
    return isWhole({ startFrame, frames: endFrame - startFrame });
  };
  const quietImpulses = (parts.quietSweeps ?? []).map((sweep) =>
    wholeSweep(sweep) ? sweptImpulse(sweep, rate, sent, back) : null,
  );
  const [first, second] = quietImpulses;
  const quietImpulse = second ?? first ?? null;
  const quiet = quietImpulse && readLinear(quietImpulse, true);
  const quietErrorDb =
    quiet && parts.quietSweeps
      ? errorsOf(quiet.response, parts.quietSweeps[0], noiseDbfsAt, rate)
      : hertz.map(() => 99);
  const usualDb = magnitudesOf(together, hertz);
  const quietDb = quietImpulse && magnitudesOf(quietImpulse, hertz);
  const middleDb =
    parts.middleSweep && wholeSweep(parts.middleSweep)
      ? magnitudesOf(sweptImpulse(parts.middleSweep, rate, sent, back), hertz)
      : null;
  const through = Math.max(...usualDb) - THROUGH_DB;
  const isTold = hertz.map((hz, i) => hz >= 40 && hz <= 0.4 * rate && usualDb[i] > through);
  const mostApart = (a: readonly number[], b: readonly number[], unsure: readonly number[]) => {
    const apart = smoothed(a.map((db, i) => db - b[i]));
    return apart.reduce(
      (most, db, i) => (isTold[i] && Math.abs(db) > 3 * unsure[i] && Math.abs(db) > Math.abs(most) ? db : most),
      0,
    );
  };
  const movesWithLevel = quietDb !== null && Math.abs(mostApart(quietDb, usualDb, quietErrorDb)) > MOVES_DB;
  // What comes back is nothing, or no more than noise makes of nothing.
  const middleError = (errors: readonly number[]) => errors.toSorted((a, b) => a - b)[errors.length >> 1] ?? 0;
  const isSilent =
    Math.max(...usualDb, ...(quietDb ?? [])) < SILENT_DB ||
    (middleError(loudErrorDb) > LOST_DB && middleError(quietErrorDb) > LOST_DB);

  const base = trimmed(together);
  const toneOf = (tone: Tone): ToneReading => {
    const guard = Math.round(GUARD_SECONDS * rate);
    const end = tone.startFrame + tone.frames - guard;
    // What rings on from before, or ahead of what comes, is neither a harmonic nor an alias.
    const rings = !liesWithin(base, guard, tone.frames - tone.points - guard);
    const linear = rings ? throughResponse(sent, base, end - tone.points, tone.points) : cutAt(sent, end, tone.points);
    return readTone(cutAt(back, end, tone.points), linear, tone.bin, {
      hertz: tone.hertz,
      levelDbfs: tone.levelDbfs,
    });
  };
  const tonesOf = (tones: readonly Tone[]) => tones.filter(isWhole).map(toneOf);
  const twinOf = (twin: Twin | null, around: boolean) => {
    if (!twin || !isWhole(twin)) return null;
    const end = twin.startFrame + twin.frames - Math.round(GUARD_SECONDS * rate);
    return readTwin(cutAt(back, end, twin.points), twin.bins, around, twin.hertz);
  };
  const [ladder, lowLadder, highLadder] = [parts.ladder, parts.lowLadder, parts.highLadder].map(tonesOf);
  const gainsOf = (tones: readonly ToneReading[], points: number): LevelGain[] => {
    const top = tones.at(-1);
    const topGainDb = top ? top.outDbfs - top.levelDbfs : 0;
    return tones
      .map(({ hertz: hz, levelDbfs, outDbfs }) => {
        // Had it the gain of the loudest: what lies in noise then says nothing, what came back lower says that it did.
        const expected = pow(10, Math.max(outDbfs, levelDbfs + topGainDb) / 10);
        const noise = pow(10, (noiseDbfsAt(hz) ?? -400) / 10);
        return {
          inDbfs: levelDbfs,
          gainDb: outDbfs - levelDbfs,
          errorDb: 8.686 * Math.sqrt((3 * noise) / points / expected),
        };
      })
      .filter(({ errorDb }) => errorDb < KNOWN_DB);
  };
  const pointsOf = (tones: readonly Tone[]) => tones[0]?.points ?? 1;
  const { rest, long, afterLong, short, afterShort } = parts.bursts;
  const burstsWhole = [rest, long, afterLong, short, afterShort].every(isWhole);
  // What a curve makes of a loud sweep may lie late as well.
  // Where noise hides it in the quiet one, the loud one decides.
  // Where the long tone was spoiled, the loudest of the ladder that was not.
  const deep = isWhole(parts.deep) || ladder.length === 0 ? toneOf(parts.deep) : ladder[ladder.length - 1];
  // Harmonics that alias lie anywhere: by the loud sweep alone no more than these is no ringing.
  const isFolded = lateShare(own) < ((deep.thdPercent ?? 0) / 100) ** 2;
  const isHidden = quietImpulse === null || !wouldRing(quietImpulse, own);
  const rings = ringsOn(own) && ((quietImpulse !== null && ringsOn(quietImpulse)) || (isHidden && !isFolded));
  return {
    input,
    isSilent,
    rate,
    noisePower,
    rings,
    loud,
    quiet,
    quietImpulse,
    levels: [
      ...(quietDb && parts.quietSweeps
        ? [{ levelDbfs: parts.quietSweeps[0].levelDbfs, magnitudeDb: quietDb, errorDb: quietErrorDb }]
        : []),
      ...(middleDb && parts.middleSweep
        ? [
            {
              levelDbfs: parts.middleSweep.levelDbfs,
              magnitudeDb: middleDb,
              errorDb: errorsOf({ hertz, magnitudeDb: middleDb }, parts.middleSweep, noiseDbfsAt, rate),
            },
          ]
        : []),
      {
        levelDbfs: plan.sweeps[0].levelDbfs,
        magnitudeDb: usualDb,
        // Of both sides' sweeps, and with the noise of both.
        errorDb: loudErrorDb.map((db) => db * Math.sqrt(plan.sweeps.length)),
      },
    ],
    loudErrorDb,
    quietErrorDb,
    movesWithLevel,
    quietApartDb:
      first && second ? mostApart(magnitudesOf(first, hertz), magnitudesOf(second, hertz), quietErrorDb) : null,
    quietApartErrorDb: quietErrorDb.toSorted((a, b) => a - b)[quietErrorDb.length >> 1] ?? 0,
    deep,
    ladder,
    lowLadder,
    highLadder,
    series: tonesOf(parts.series),
    high: tonesOf(parts.high),
    modulation: twinOf(parts.modulation, true),
    differenceTone: twinOf(parts.differenceTone, false),
    gains: {
      low: gainsOf(lowLadder, pointsOf(parts.lowLadder)),
      middle: gainsOf(ladder, pointsOf(parts.ladder)),
      high: isPitchSteady ? gainsOf(highLadder, pointsOf(parts.highLadder)) : [],
    },
    memory: memoryOf({
      channel: back,
      linear: ringing(input, base, rate),
      parts,
      rate,
      steadyPeriod: plan.steadyPeriod,
      noisePowerAt: (hz) => pow(10, (noiseDbfsAt(hz) ?? -400) / 10),
      // Pitch that moves takes a high tone off its place.
      isWhole,
    }).filter(({ after }) => isPitchSteady || after === "low"),
    courses: parts.steady.some(isWhole)
      ? gainCourses({
          channel: back,
          plan,
          parts,
          noisePower,
          noiseEvenness: evennessOf(idle),
          isWhole: (from, to) => isWhole({ startFrame: from, frames: to - from }),
        })
      : null,
    times: burstsWhole && !rings ? gainTimes(back, parts, plan) : null,
    beside: isPitchSteady && parts.beside?.blocks.every(isWhole) ? besideTone(back, plan, noisePower) : null,
    passesApartDb: parts.repeats?.every(isWhole) ? passesApartDb([back], parts.repeats) : null,
    passesNoiseDb: noisePower > 0 ? dbFromPower((2 * noisePower) / returnedPower(back, plan)) : null,
    wandersDb: wandersDb(back, parts, noisePower),
  };
}

/** The power of the noise that was sent, as it came back: a low-pass leaves less of it. As sent where nothing is known of it. */
function returnedPower(back: Float32Array, { repeats, noiseDbfs }: ChannelInput["plan"]): number {
  const sent = pow(10, (noiseDbfs - NOISE_RMS_DB) / 10);
  const part = repeats[1];
  if (!part) return sent;
  const own = back.subarray(part.startFrame, part.startFrame + part.frames);
  const power = own.reduce((sum, v) => sum + v * v, 0) / Math.max(1, own.length);
  return Math.max(1e-30, power);
}

/** The square of the mean of noise's powers over frequency over the mean of their squares, as white noise would have them: 1. */
function evennessOf({ noisePowers }: Idle): number {
  let [sum, squares] = [0, 0];
  for (const power of noisePowers) {
    sum += power;
    squares += power * power;
  }
  // Powers of white noise's bins are themselves spread exponentially: the mean of their squares is twice the square of their mean.
  return squares > 0 ? Math.max(1e-4, Math.min(1, (2 * sum * sum) / (noisePowers.length * squares))) : 1;
}

/** A uniform noise's effective value under its peak (dB). */
const NOISE_RMS_DB = 4.77;

/** How loud noise is around a frequency, dBFS, as if it were so everywhere: over a third of an octave. Null where there is none. */
function noiseOver({ noiseDbfs, noisePowers, noiseBinHz }: Idle, rate: number): (hertz: number) => number | null {
  if (noiseDbfs === null) return () => null;
  const sums = new Float64Array(noisePowers.length + 1);
  for (let k = 0; k < noisePowers.length; k++) sums[k + 1] = sums[k] + noisePowers[k];
  return (hertz) => {
    const [from, to] = [hertz / 1.12, hertz * 1.12].map((hz) =>
      Math.max(1, Math.min(noisePowers.length - 1, Math.round(hz / noiseBinHz))),
    );
    const mean = (sums[to + 1] - sums[from]) / (to + 1 - from);
    // Peak powers of bins under a Hann window: noise of one a sample gives 6 / points in each.
    return 10 * log10((mean * rate) / noiseBinHz / 6 + 1e-30);
  };
}

/** What a linear response alone makes of the stretches that memory is looked for in; silence elsewhere. */
function ringing({ sent, parts }: ChannelInput, response: Impulse, rate: number): Float32Array {
  const output = new Float32Array(sent.length);
  const fill = (startFrame: number, frames: number) =>
    output.set(throughResponse(sent, response, startFrame, frames), startFrame);
  const { rest, afterLong } = parts.bursts;
  fill(rest.startFrame, rest.frames);
  const half = Math.round(0.3 * rate);
  fill(afterLong.startFrame, Math.min(half, afterLong.frames));
  if (parts.afterLoud)
    for (const [tone, tones] of [
      [parts.afterLoud.low, parts.lowLadder],
      [parts.afterLoud.middle, parts.ladder],
      [parts.afterLoud.high, parts.highLadder],
    ] as const) {
      const same = tones.find(({ levelDbfs }) => Math.abs(levelDbfs - tone.levelDbfs) < 0.01);
      if (same) fill(same.startFrame, same.frames);
      fill(tone.startFrame, tone.frames);
    }
  return output;
}

/** A tone is read in so many parts: one that goes to and fro does so in one of them. */
const WANDER_PARTS = 16;

/** How far the level of the long tone, and of the wave at rest, goes to and fro, dB: what goes one way alone is an attack or a release. */
function wandersDb(channel: Float32Array, { deep, bursts: { rest } }: Parts, noisePower: number): number {
  const toAndFro = (levels: readonly number[], errorDb: number) => {
    // The larger of rises and falls is the way; the smaller one is what goes back.
    const rises = mostRise(levels);
    const falls = mostRise(levels.map((v) => -v));
    return Math.max(0, Math.min(rises, falls) - 6 * errorDb);
  };
  const part = deep.points / WANDER_PARTS;
  const amplitude = pow(10, deep.levelDbfs / 10);
  const toneLevels = Array.from({ length: WANDER_PARTS }, (_, n) => {
    const from = deep.startFrame + deep.frames - deep.points + n * part;
    const powers = linePowers(channel.slice(from, from + part));
    const bin = Math.round(deep.bin / WANDER_PARTS);
    return dbFromPower(Math.max(powers[bin - 1] ?? 0, powers[bin], powers[bin + 1]) + 1e-20);
  });
  const toneError =
    8.686 * Math.sqrt((3 * noisePower) / part / Math.min(amplitude, pow(10, Math.min(...toneLevels) / 10)));
  const cell = Math.floor(rest.frames / 24);
  const restLevels = Array.from({ length: 12 }, (_, n) => {
    const from = rest.startFrame + (10 + n) * cell;
    return dbFromPower(channel.subarray(from, from + cell).reduce((sum, v) => sum + v * v, 0) / cell + 1e-20);
  });
  const restPower = pow(10, Math.min(...restLevels) / 10);
  const restError = 4.343 * Math.sqrt((4 * noisePower) / (restPower * cell)) + (noisePower > restPower / 10 ? 99 : 0);
  return Math.max(toAndFro(toneLevels, toneError), toAndFro(restLevels, restError));
}

/** The most that a course rises from one place to a later one. */
function mostRise(levels: readonly number[]): number {
  let [least, most] = [Number.POSITIVE_INFINITY, 0];
  for (const level of levels) {
    least = Math.min(least, level);
    most = Math.max(most, level - least);
  }
  return most;
}
