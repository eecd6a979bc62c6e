import { pow } from "../audio/exact-math";
import type { FrameRange, Sound } from "../audio/sound";
import { energyBetween, energyUnder } from "../numeric/vectors";

/** How much of a pair is fitted on: no more than so many seconds, in so many stretches evenly spread, with so many frames around each. */
export type ExcerptPlan = {
  mostSeconds: number;
  stretches: number;
  reach: number;
  /** Every other stretch is where its part is loudest: what bends and what limits is reported there. */
  seeksLoud?: boolean;
};
/** What is fitted and judged on, with room for the longest filter. */
export const IN_FULL: ExcerptPlan = { mostSeconds: 8, stretches: 5, reach: 32_768 };
/** What chains of several stages are looked for and fitted on: each round of that takes long. */
export const FOR_CHAINS: ExcerptPlan = { mostSeconds: 3.2, stretches: 4, reach: 8192, seeksLoud: true };
/** Halves are distinguished in so many segments at the least, and in segments of this many seconds at the most. */
const LEAST_SEGMENTS = 8;
const SEGMENT_SECONDS = 1;

/**
 * Two sounds aligned, as they are fitted on: stretches laid one after another, each with its own surroundings before and after, which are heard
 * by filters but not judged.
 */
export type PairSignals = {
  sampleRateHz: number;
  /** A mono side is there twice where the other is stereo. */
  here: Float64Array[];
  yonder: Float64Array[];
  /** 1 where a frame is judged and belongs to the half, else 0; `judged` is both. */
  halves: [first: Float64Array, second: Float64Array];
  judged: Float64Array;
  judgedFrames: number;
  /** Judged frames [from, from + frames) of the signals are frames from `passageFrame` on of the sounds. */
  stretches: { from: number; frames: number; passageFrame: number }[];
  /** Left and right are the same on both sides: one stands for both. */
  isDoubled: boolean;
};

/** How much a step of a survey may count for the choice of stretches: 0 where it is an exception. */
export type Worth = { firstFrame: number; stepFrames: number; values: Float64Array };

/** Where a region is taken from: all of it where it is short and nothing is left out, or the middle of each part, moved off exceptions and silence. */
function stretchesOf(
  { startFrame, endFrame }: FrameRange,
  rateHz: number,
  { mostSeconds, stretches, reach, seeksLoud = false }: ExcerptPlan,
  worth: Worth | null,
): FrameRange[] {
  const most = Math.floor(mostSeconds * pow(Math.min(1, FULL_RATE_HZ / rateHz), LESS_ABOVE) * rateHz);
  const frames = endFrame - startFrame;
  const isWhole = worth === null || worth.values.every((v) => v > 0);
  // All of it is no more work than stretches with what is around each of them.
  if (frames <= most + 2 * reach * (stretches - 1) && isWhole) return [{ startFrame, endFrame }];
  const length = Math.min(Math.floor(most / stretches), Math.floor(frames / stretches));
  const part = frames / stretches;
  return Array.from({ length: stretches }, (_, i) => {
    const from = startFrame + Math.round(i * part);
    const last = Math.max(from, startFrame + Math.round((i + 1) * part) - length);
    let at = Math.round((from + last) / 2);
    const isLoud = seeksLoud && i % 2 === 0;
    if (worth)
      at =
        placeFor(worth, from, last, length, isLoud ? null : at) ??
        placeFor(worth, startFrame, endFrame - length, length, at) ??
        at;
    return { startFrame: at, endFrame: at + length };
  }).toSorted((a, b) => a.startFrame - b.startFrame);
}

/** A stretch has to be worth at least this part of what stretches are worth in the middle. */
const LEAST_WORTH = 0.1;

/**
 * The place for a stretch nearest to a middle, or the loudest where none is given, on a survey's steps, that holds no exception and is not next to silent; null
 * where there is none.
 */
function placeFor(
  { firstFrame, stepFrames, values }: Worth,
  from: number,
  last: number,
  length: number,
  middle: number | null,
): number | null {
  const steps = Math.ceil(length / stepFrames);
  const places: { frame: number; sum: number }[] = [];
  for (let t = Math.max(0, Math.ceil((from - firstFrame) / stepFrames)); firstFrame + t * stepFrames <= last; t++) {
    let sum = 0;
    let least = Number.POSITIVE_INFINITY;
    for (let i = t; i <= t + steps && i < values.length; i++) {
      sum += values[i];
      if (values[i] < least) least = values[i];
    }
    if (least > 0) places.push({ frame: firstFrame + t * stepFrames, sum });
  }
  if (middle === null && places.length > 0) return places.reduce((a, b) => (b.sum > a.sum ? b : a)).frame;
  const usual = places.map(({ sum }) => sum).toSorted((x, y) => x - y)[places.length >> 1] ?? 0;
  const fit = places.filter(({ sum }) => sum >= LEAST_WORTH * usual);
  if (fit.length === 0) return null;
  const off = (frame: number) => Math.abs(frame - (middle ?? 0));
  return fit.reduce((best, p) => (off(p.frame) < off(best.frame) ? p : best)).frame;
}
/** Up to this rate all of the seconds are taken; above it as many less as keep the work within bounds. */
const FULL_RATE_HZ = 48_000;
const LESS_ABOVE = 0.75;

const same = (a: Float64Array, b: Float64Array): boolean => {
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
};

/** Stretches with others beside them that have to be among them. */
const withOthers = (stretches: readonly FrameRange[], others: readonly FrameRange[]): FrameRange[] =>
  [
    ...stretches.filter((s) => others.every((o) => o.endFrame <= s.startFrame || s.endFrame <= o.startFrame)),
    ...others,
  ].toSorted((a, b) => a.startFrame - b.startFrame);

/** Takes from two sounds aligned of one rate what a ladder is fitted on, of a region both cover; `also` is taken in any case. */
export function pairSignals(
  here: Sound,
  yonder: Sound,
  region: FrameRange,
  plan = IN_FULL,
  worth: Worth | null = null,
  also: readonly FrameRange[] = [],
): PairSignals {
  const rateHz = here.sampleRateHz;
  const taken = withOthers(stretchesOf(region, rateHz, plan, worth), also);
  const reach = Math.min(plan.reach, Math.max(1024, region.endFrame - region.startFrame));
  const total = taken.reduce((sum, s) => sum + s.endFrame - s.startFrame + 2 * reach, 0);
  const count = Math.max(here.channelCount, yonder.channelCount);
  const room = () => Array.from({ length: count }, () => new Float64Array(total));
  const signals = { here: room(), yonder: room() };
  const halves: PairSignals["halves"] = [new Float64Array(total), new Float64Array(total)];
  const judged = new Float64Array(total);
  const judgedFrames = taken.reduce((sum, s) => sum + s.endFrame - s.startFrame, 0);
  const segments = Math.max(LEAST_SEGMENTS, Math.ceil(judgedFrames / (SEGMENT_SECONDS * rateHz)));
  const segmentFrames = judgedFrames / segments;
  const stretches: PairSignals["stretches"] = [];
  let [at, before] = [0, 0];
  for (const { startFrame, endFrame } of taken) {
    const frames = endFrame - startFrame;
    for (const [side, sound] of [
      ["here", here],
      ["yonder", yonder],
    ] as const) {
      const read = sound.read(startFrame - reach, frames + 2 * reach);
      for (let c = 0; c < count; c++) signals[side][c].set(read[c] ?? read[0], at);
    }
    for (let i = 0; i < frames; i++) {
      const half = Math.floor((before + i) / segmentFrames) % 2;
      halves[half][at + reach + i] = 1;
      judged[at + reach + i] = 1;
    }
    stretches.push({ from: at + reach, frames, passageFrame: startFrame });
    at += frames + 2 * reach;
    before += frames;
  }
  const isDoubled = count === 2 && same(signals.here[0], signals.here[1]) && same(signals.yonder[0], signals.yonder[1]);
  if (isDoubled) for (const side of [signals.here, signals.yonder]) side.pop();
  return { sampleRateHz: rateHz, ...signals, halves, judged, judgedFrames, stretches, isDoubled };
}

/** One channel of a pair by itself. */
export const channelOf = (pair: PairSignals, channel: number): PairSignals => ({
  ...pair,
  here: [pair.here[channel]],
  yonder: [pair.yonder[channel]],
});

/** The same pair with so many of its stretches, from the first to the last. */
export function someStretches(pair: PairSignals, count: number): PairSignals {
  const all = pair.stretches;
  if (all.length <= count) return pair;
  const reach = all[0].from;
  const taken = Array.from(
    { length: count },
    (_, i) => all[Math.round((i * (all.length - 1)) / Math.max(1, count - 1))],
  );
  const total = taken.reduce((sum, { frames }) => sum + frames + 2 * reach, 0);
  const cut = (signal: Float64Array) => {
    const output = new Float64Array(total);
    let at = 0;
    for (const { from, frames } of taken) {
      output.set(signal.subarray(from - reach, from + frames + reach), at);
      at += frames + 2 * reach;
    }
    return output;
  };
  let at = 0;
  const stretches = taken.map((stretch) => {
    const moved = { ...stretch, from: at + reach };
    at += stretch.frames + 2 * reach;
    return moved;
  });
  const [first, second] = pair.halves;
  return {
    ...pair,
    here: pair.here.map(cut),
    yonder: pair.yonder.map(cut),
    halves: [cut(first), cut(second)],
    judged: cut(pair.judged),
    judgedFrames: stretches.reduce((sum, { frames }) => sum + frames, 0),
    stretches,
  };
}

/** The same pair with no more than so many frames around each stretch: quicker to work on, with filters that reach no further. */
export function withReach(pair: PairSignals, reach: number): PairSignals {
  const [{ from: before }] = pair.stretches;
  if (before <= reach) return pair;
  const total = pair.stretches.reduce((sum, s) => sum + s.frames + 2 * reach, 0);
  let at = 0;
  const stretches = pair.stretches.map((stretch) => {
    const moved = { ...stretch, from: at + reach };
    at += stretch.frames + 2 * reach;
    return moved;
  });
  const taken = (signal: Float64Array) => {
    const output = new Float64Array(total);
    for (const [i, { from, frames }] of pair.stretches.entries())
      output.set(signal.subarray(from - reach, from + frames + reach), stretches[i].from - reach);
    return output;
  };
  const [first, second] = pair.halves;
  return {
    ...pair,
    here: pair.here.map(taken),
    yonder: pair.yonder.map(taken),
    halves: [taken(first), taken(second)],
    judged: taken(pair.judged),
    stretches,
  };
}

/** Σ w (a − b)² over channels; `b` may be left out. */
export function energyOf(weight: Float64Array, a: readonly Float64Array[], b?: readonly Float64Array[]): number {
  let sum = 0;
  for (const [c, channel] of a.entries()) {
    const other = b?.[c];
    sum += other ? energyBetween(weight, channel, other) : energyUnder(weight, channel);
  }
  return sum;
}
