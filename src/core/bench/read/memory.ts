import { cos, hypot, log10, sin } from "../../audio/exact-math";
import type { Parts } from "./parts";

/** Gain of a quiet wave over time after a loud one of the same frequency, against the same wave after rest. */
export type MemoryReading = {
  /** Where: after the burst of the steady wave, or after the loudest tone of a ladder. */
  after: "burst" | "low" | "middle" | "high";
  hertz: number;
  /** From and to after the loud wave ended, ms; gain against rest, dB, what of it a linear filter would ring, and its error (one standard deviation). */
  windows: { fromMs: number; toMs: number; gainDb: number; linearDb: number; errorDb: number }[];
};

/** Windows after the loud wave has ended (ms). */
const WINDOWS_MS = [1, 3, 8, 20, 50, 120, 250] as const;
/** A gain is remembered that is further from rest than this (dB), than so many errors, and than twice what rings. */
const REMEMBERED_DB = 0.25;
const SIGMAS = 5;
/** Within the first window only what is clearer counts: edges of waves are there (dB). */
const FIRST_WINDOW_DB = 1.5;

type Place = {
  after: MemoryReading["after"];
  hertz: number;
  start: number;
  end: number;
  restFrom: number;
  restTo: number;
};

type MemoryInput = {
  channel: Float32Array;
  /** What the quiet response alone makes of what was sent. */
  linear: Float32Array;
  parts: Parts;
  rate: number;
  steadyPeriod: number;
  /** Noise a sample around a frequency, as if it were so everywhere (power re full scale). */
  noisePowerAt: (hertz: number) => number;
  isWhole: (stretch: { startFrame: number; frames: number }) => boolean;
};

/**
 * Whether what was loud is remembered: the amplitude of a quiet wave right after the loud one, over the same at rest, window by window.
 * `linear` is what the quiet response alone makes of what was sent: what a filter rings is no memory of level.
 */
export function memoryOf({
  channel,
  linear,
  parts,
  rate,
  steadyPeriod,
  noisePowerAt,
  isWhole,
}: MemoryInput): MemoryReading[] {
  const places = placesOf(parts, rate, steadyPeriod).filter(
    ({ start, end, restFrom, restTo }) =>
      isWhole({ startFrame: restFrom, frames: restTo - restFrom }) &&
      isWhole({ startFrame: start, frames: Math.min(end - start, Math.round(0.3 * rate)) }),
  );
  return places.map(({ after, hertz, start, end, restFrom, restTo }) => {
    const noisePower = noisePowerAt(hertz);
    const rest = amplitudeIn(channel, hertz / rate, restFrom, restTo);
    const linearRest = amplitudeIn(linear, hertz / rate, restFrom, restTo);
    const windows = WINDOWS_MS.slice(1).flatMap((toMs, i) => {
      const period = rate / hertz;
      const from = start + (WINDOWS_MS[i] * rate) / 1000;
      const turns = Math.floor((Math.min(end, start + (toMs * rate) / 1000) - from) / period);
      if (turns < 1) return [];
      const to = from + turns * period;
      const amplitude = amplitudeIn(channel, hertz / rate, Math.round(from), Math.round(to));
      const gainDb = decibelsOf(amplitude, rest);
      const linearDb = decibelsOf(amplitudeIn(linear, hertz / rate, Math.round(from), Math.round(to)), linearRest);
      // Amplitude of a sine in white noise: √(2/N) of its effective value.
      const error = Math.sqrt((2 * noisePower) / (to - from));
      return [
        {
          fromMs: WINDOWS_MS[i],
          toMs,
          gainDb,
          linearDb,
          errorDb: 8.686 * (error / Math.max(1e-12, Math.min(amplitude, rest))),
        },
      ];
    });
    return { after, hertz, windows };
  });
}

function placesOf({ bursts, afterLoud, ladder, lowLadder, highLadder }: Parts, rate: number, period: number): Place[] {
  const { rest, afterLong } = bursts;
  const whole = Math.floor((0.35 * rest.frames) / period) * period;
  const restTo = rest.startFrame + Math.round(0.8 * rest.frames);
  const burst = {
    after: "burst" as const,
    hertz: rate / period,
    start: afterLong.startFrame,
    end: afterLong.startFrame + afterLong.frames,
    restFrom: restTo - whole,
    restTo,
  };
  if (!afterLoud) return [burst];
  const after = (name: "low" | "middle" | "high", tones: typeof ladder) => {
    const tone = afterLoud[name];
    const same = tones.find(({ levelDbfs }) => Math.abs(levelDbfs - tone.levelDbfs) < 0.01);
    if (!same) return [];
    const to = same.startFrame + Math.round(0.85 * same.frames);
    return [
      {
        after: name,
        hertz: tone.hertz,
        start: tone.startFrame,
        end: tone.startFrame + tone.frames - Math.round(0.02 * rate),
        restFrom: to - same.points + Math.round(0.15 * same.frames),
        restTo: to,
      },
    ];
  };
  return [burst, ...after("low", lowLadder), ...after("middle", ladder), ...after("high", highLadder)];
}

/** Amplitude of a sine of so many turns a sample between two frames, fitted beside a mean: rectangular windows of few turns lean otherwise. */
function amplitudeIn(signal: Float32Array, turns: number, from: number, to: number): number {
  let [cc, ss, cs, c1, s1, yc, ys, y1] = [0, 0, 0, 0, 0, 0, 0, 0];
  const n = to - from;
  for (let i = from; i < to; i++) {
    const angle = 2 * Math.PI * turns * (i - from);
    const [c, s, y] = [cos(angle), sin(angle), signal[i]];
    cc += c * c;
    ss += s * s;
    cs += c * s;
    c1 += c;
    s1 += s;
    yc += y * c;
    ys += y * s;
    y1 += y;
  }
  // The mean taken off all three.
  const mean = y1 / n;
  const [ccm, ssm, csm] = [cc - (c1 * c1) / n, ss - (s1 * s1) / n, cs - (c1 * s1) / n];
  const [ycm, ysm] = [yc - mean * c1, ys - mean * s1];
  const determinant = ccm * ssm - csm * csm;
  if (!(determinant > 1e-9 * n * n)) return hypot(ycm, ysm) / (n / 2);
  return hypot((ycm * ssm - ysm * csm) / determinant, (ysm * ccm - ycm * csm) / determinant);
}

const decibelsOf = (a: number, b: number): number => 20 * log10(Math.max(1e-12, a) / Math.max(1e-12, b));

/** How far a reading's gain is from rest beyond what noise and a filter's ringing leave open; 0 where that is nothing (dB). */
export function rememberedDb({ windows }: MemoryReading): number {
  let most = 0;
  for (const [i, { gainDb, linearDb, errorDb }] of windows.entries()) {
    const off = gainDb - linearDb;
    const open = Math.max(i === 0 ? FIRST_WINDOW_DB : REMEMBERED_DB, SIGMAS * errorDb, 2 * Math.abs(linearDb));
    if (Math.abs(off) > open && Math.abs(off) > Math.abs(most)) most = off;
  }
  return most;
}

/** How small a remembered gain could still hide in noise (dB): what the clearest window leaves open. */
export const hiddenMemoryDb = (readings: readonly MemoryReading[]): number =>
  Math.min(99, ...readings.flatMap(({ windows }) => windows.slice(1).map(({ errorDb }) => SIGMAS * errorDb)));
