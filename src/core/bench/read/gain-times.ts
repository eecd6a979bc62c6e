import { dbFromPower } from "../../audio/decibels";
import { pow } from "../../audio/exact-math";
import type { Burst, SignalPlan } from "../signal/signal-plan";
import type { Parts } from "./parts";

/** How gain follows a step. Times by their definitions; null where nothing moves or the end was not reached. */
export type GainTimes = {
  /** From the step, or from where the gain begins to move ahead of it, to 63 % of the way in dB. */
  attackMs: number | null;
  /** To within 1 dB of where it comes to rest. */
  attackWithin1DbMs: number | null;
  /** The same of the way back, after the long burst. */
  releaseMs: number | null;
  releaseWithin1DbMs: number | null;
  /** To 63 % of the way back after a burst of 30 ms. */
  releaseAfterShortMs: number | null;
  /** Gain reduction at the end of the long and of the short burst, dB. */
  reductionDb: number;
  shortReductionDb: number;
  /** How far the beginning of the burst stands above its end, and how far below it falls, dB. */
  overshootDb: number;
  undershootDb: number;
  /** How long the gain stays before it begins to come back. */
  holdMs: number;
  /** How long before the step it begins to move. */
  lookAheadMs: number;
  /** Reduction of the quiet side over that of the loud one, 0 to 1; null with one channel. */
  linkShare: number | null;
  /** One standard deviation of each time that is reported; null where it is not. */
  errorsMs?: { attack: number | null; release: number | null; hold: number | null; lookAhead: number | null };
  /** Gain over time around the long burst, dB against rest, for the picture. */
  course: { ms: number[]; gainDb: number[] };
};

/** Gain that moves by less than this moves by error (dB). */
const MOVES_DB = 0.3;
const SHARE = 0.632;
/** The gain has begun to move, or to come back, once it is this part of the way. */
const BEGUN = 0.04;
/** The rest is what the last part of a burst comes to. */
const LAST_PART = 0.1;
/** A rest that was not reached is distinguished from the way to it when it lies within this (dB). */
const MOST_REST_DB = 1.5;
/** A gain that moves by less than this over a third of the time is at rest (dB). */
const AT_REST_DB = 0.08;
/** Look-ahead is looked for within this. */
const MOST_LOOK_AHEAD_SECONDS = 0.06;
/** Rest is read between these parts of it: what looks ahead, or rings ahead, moves before the step. */
const REST_FROM = 0.4;
const REST_TO = 0.8;
/** What happens within so many half periods is read sample by sample. */
const FINE_CELLS = 2;

/** What lets go more slowly than this is still held by earlier sounds when steps are read (ms). */
const MOST_RELEASE_MS = 850;

/** Whether a gain comes to rest within steps of so many ms: one after the other they tell a static curve only then. */
export const isQuickEnough = (
  { attackMs, releaseMs, releaseWithin1DbMs }: Pick<GainTimes, "attackMs" | "releaseMs" | "releaseWithin1DbMs">,
  stepMs: number,
): boolean =>
  attackMs !== null &&
  attackMs < stepMs &&
  releaseMs !== null &&
  releaseMs < MOST_RELEASE_MS &&
  releaseWithin1DbMs !== null;

/** Powers over the bursts, as they came and as they would be at rest, from a frame on. */
type Powers = { from: number; came: Float64Array; rest: Float64Array };

/** Mean power of each place in the period over input power, at rest. */
function restPattern(
  channel: Float32Array,
  { startFrame, frames }: Burst,
  period: number,
  power: number,
): Float64Array {
  const pattern = new Float64Array(period);
  const count = Math.floor(((REST_TO - REST_FROM) * frames) / period);
  const from = startFrame + period * Math.floor((REST_FROM * frames) / period);
  for (let i = 0; i < count * period; i++) pattern[i % period] += channel[from + i] ** 2 / (count * power);
  return pattern;
}

function powersOf(
  channel: Float32Array,
  { bursts: { rest, long, afterLong, short, afterShort } }: Pick<Parts, "bursts">,
  period: number,
): Powers {
  const from = rest.startFrame;
  const to = afterShort.startFrame + afterShort.frames;
  const power = (burst: Burst) => pow(10, burst.leftDbfs / 10);
  const pattern = restPattern(channel, rest, period, power(rest));
  const came = Float64Array.from(channel.subarray(from, to), (v) => v * v);
  const expected = new Float64Array(to - from);
  for (const burst of [rest, long, afterLong, short, afterShort])
    for (let i = burst.startFrame - from; i < burst.startFrame - from + burst.frames; i++)
      expected[i] = pattern[i % period] * power(burst);
  return { from, came, rest: expected };
}

/** A course of gains in dB against rest, by cells of some frames, from a frame on. Places where the wave crosses zero tell nothing by themselves. */
function cellsOf({ from: first, came, rest }: Powers, from: number, to: number, cell: number): Course {
  const at: number[] = [];
  const db: number[] = [];
  // By itself a sample near a crossing tells nothing: a quarter of the mean power is asked of it.
  const mean =
    rest.subarray(Math.round(from) - first, to - first).reduce((sum, v) => sum + v, 0) / (to - Math.round(from));
  const floor = cell === 1 ? mean / 4 : 1e-16;
  for (let start = Math.round(from); start + cell <= to; start += cell) {
    let [is, was] = [0, 0];
    for (let i = start - first; i < start - first + cell; i++) {
      is += came[i];
      was += rest[i];
    }
    if (was <= floor * cell) continue;
    at.push(start + cell / 2);
    db.push(dbFromPower(Math.max(1e-12, is / was)));
  }
  return { at, db };
}
type Course = { at: number[]; db: number[] };

/**
 * Where a course passes a level on its way up or down: for the first time, or for good, which what rings on after a step does not hurry. Null where it
 * does not.
 */
function passing({ at, db }: Course, level: number, rising: boolean, forGood = false): number | null {
  const isPast = (i: number) => (rising ? db[i] >= level : db[i] <= level);
  let i = 0;
  if (forGood) {
    i = db.length;
    while (i > 0 && isPast(i - 1)) i--;
  } else while (i < db.length && !isPast(i)) i++;
  if (i === db.length) return null;
  if (i === 0) return at[0];
  return at[i - 1] + ((level - db[i - 1]) / (db[i] - db[i - 1])) * (at[i] - at[i - 1]);
}

type Stretch = { from: number; to: number; cell: number };

/** The frame where the gain passes a level: by half periods of the wave, and sample by sample where that is too coarse. */
function reached(
  gains: Powers,
  { from, to, cell }: Stretch,
  level: number,
  rising: boolean,
  forGood: boolean,
): number | null {
  const coarse = passing(cellsOf(gains, from, to, cell), level, rising, forGood);
  if (coarse === null || coarse - from > FINE_CELLS * cell) return coarse;
  return passing(cellsOf(gains, from, Math.min(to, from + 8 * cell), 1), level, rising, forGood);
}

/** Where an exponential that passes through three places equally far apart comes to rest (Aitken). */
function restOf(course: Course): number {
  const n = course.db.length;
  const part = Math.floor(n / 10);
  const at = (share: number) => meanDb({ db: course.db.slice(Math.floor(share * n) - part, Math.floor(share * n)) });
  const [a, b, c] = [at(0.4), at(0.7), at(1)];
  const [earlier, later] = [b - a, c - b];
  // Where it hardly moves any more it is at rest.
  if (Math.abs(later) < AT_REST_DB || earlier / later < 1.05) return Math.abs(c) < MOST_REST_DB ? c : 0;
  const end = c + (later * later) / (earlier - later);
  return Math.abs(end) < MOST_REST_DB ? end : 0;
}

/** Where a course is last further than `within` from a level. */
function settling(course: Course, level: number, within: number): number | null {
  for (let i = course.at.length - 1; i >= 0; i--)
    if (Math.abs(course.db[i] - level) > within) return i === course.at.length - 1 ? null : course.at[i + 1];
  return course.at[0] ?? null;
}

const meanDb = (course: Pick<Course, "db">): number =>
  course.db.length > 0 ? course.db.reduce((sum, v) => sum + v, 0) / course.db.length : 0;

/**
 * Reads gain over time off the steps up and down, whose wave has one magnitude throughout, so that each sample tells the gain. Channels are laid on the
 * signal to the sample. Null where the gain does not move.
 */
export function gainTimes(
  channel: Float32Array,
  { bursts }: Pick<Parts, "bursts">,
  { form, steadyPeriod: period }: SignalPlan,
): GainTimes | null {
  const rate = form.sampleRateHz;
  const gains = powersOf(channel, { bursts }, period);
  const { long, afterLong, short, afterShort } = bursts;
  const endOf = (burst: Burst) => burst.startFrame + burst.frames;
  const cell = period / 2;
  const settled = cellsOf(gains, Math.round(endOf(long) - LAST_PART * long.frames), endOf(long), cell);
  const reduction = meanDb(settled);
  if (Math.abs(reduction) < MOVES_DB) return null;
  const down = reduction < 0;
  const ms = (frames: number) => (1000 * frames) / rate;

  // Fine where it moves fast, over half periods where it has time.
  const ahead = cellsOf(gains, Math.round(long.startFrame - MOST_LOOK_AHEAD_SECONDS * rate), long.startFrame, cell);
  const begins = passing(ahead, BEGUN * reduction, !down);
  const moved = begins !== null && Math.abs(ahead.db.at(-1) ?? 0) > BEGUN * Math.abs(reduction) ? begins : null;
  const from = Math.round(moved ?? long.startFrame);
  // A slow one may not have come to rest before the step.
  const before = meanDb({ db: ahead.db.filter((_, i) => ahead.at[i] < from - cell).slice(-6) });
  const attackLevel = before + SHARE * (reduction - before);
  const attackAt = reached(gains, { from, to: endOf(long), cell }, attackLevel, !down, false);
  const whole = cellsOf(gains, from, endOf(long), cell);
  const attackSettled = settling(whole, reduction, 1);

  const back = (after: Burst, depth: number) => {
    // What looks ahead begins to move before the next burst.
    const to = endOf(after) - Math.round(MOST_LOOK_AHEAD_SECONDS * rate);
    const course = cellsOf(gains, after.startFrame, to, cell);
    const rest = restOf(course);
    const reaches = (share: number) => {
      const level = depth + share * (rest - depth);
      const at = reached(gains, { from: after.startFrame, to, cell }, level, down, true);
      return at === null ? null : ms(at - after.startFrame);
    };
    const within = settling(course, rest, 1);
    return {
      to63: reaches(SHARE),
      begun: reaches(BEGUN),
      within: within === null ? null : ms(within - after.startFrame),
    };
  };
  const release = back(afterLong, reduction);
  const shortEnd = cellsOf(gains, endOf(short) - 2 * cell, endOf(short), cell);
  const shortReduction = meanDb(shortEnd);
  const afterShortBurst = Math.abs(shortReduction) > MOVES_DB ? back(afterShort, shortReduction) : null;
  // A one-pole that has come 4 % and 63 % of its way tells when it began: what lies before that is hold.
  const { to63, begun } = release;
  const pole = to63 !== null && begun !== null ? (to63 - begun) / (1 - 0.0408) : 0;
  const held = begun === null ? 0 : begun - 0.0408 * pole;
  const attackCourse = cellsOf(gains, long.startFrame, endOf(long), Math.max(1, Math.round(cell / 4)));
  const farthest = down ? Math.max(...attackCourse.db) : Math.min(...attackCourse.db);
  const nearest = down ? Math.min(...attackCourse.db) : Math.max(...attackCourse.db);
  const shown = cellsOf(gains, Math.round(long.startFrame - 0.05 * rate), endOf(afterLong), Math.round(0.002 * rate));
  return {
    attackMs: attackAt === null ? null : ms(attackAt - from),
    attackWithin1DbMs: attackSettled === null ? null : ms(attackSettled - from),
    releaseMs: to63,
    releaseWithin1DbMs: release.within,
    releaseAfterShortMs: afterShortBurst?.to63 ?? null,
    reductionDb: -reduction,
    shortReductionDb: -shortReduction,
    overshootDb: Math.max(0, down ? farthest - reduction : reduction - farthest),
    undershootDb: Math.max(0, down ? reduction - nearest : nearest - reduction),
    holdMs: held > Math.max(0.5, 0.05 * pole) ? held : 0,
    lookAheadMs: moved === null ? 0 : ms(long.startFrame - moved),
    linkShare: null,
    course: { ms: shown.at.map((frame) => ms(frame - long.startFrame)), gainDb: shown.db },
  };
}

/** A channel that moves by less than this over a third of its rest is at rest (dB); one on its way keeps no more than this share of a step in the next. */
const STILL_DB = 0.05;
const MOST_KEPT = 0.9;
/** Channels come back together that are given this share of each other's reduction, and move alike within this share. */
const TOGETHER_SHARE = 0.9;
const TOGETHER_DRIFT = 0.1;
/** What lies before it may make no more than this share of the other's reduction. */
const MOST_DRIFT_SHARE = 0.1;

/**
 * How much of a burst's reduction a channel is given that stays quiet meanwhile, 0 to 1: `loud` sounds at `at`, `quiet` does not. Null where the loud one is not
 * reduced, or where the quiet one is still on its way from what was before.
 */
export function linkShareAt(
  loud: Float32Array,
  quiet: Float32Array,
  at: Burst,
  rest: Burst,
  period: number,
): number | null {
  const rmsDb = (channel: Float32Array, burst: Burst, fromPart: number, toPart = 1) => {
    const from = burst.startFrame + Math.round(fromPart * burst.frames);
    const count = Math.floor(((toPart - fromPart) * burst.frames) / period) * period;
    return dbFromPower(channel.subarray(from, from + count).reduce((sum, v) => sum + v * v, 0) / count || 1e-20);
  };
  const risenDb = Math.max(at.leftDbfs, at.rightDbfs) - rest.leftDbfs;
  const moved = rmsDb(loud, at, 0.7) - rmsDb(loud, rest, 0.7) - risenDb;
  const given = rmsDb(quiet, at, 0.7) - rmsDb(quiet, rest, 0.7);
  const laterOf = (channel: Float32Array) => rmsDb(channel, rest, 0.7) - rmsDb(channel, rest, 0.4, 0.7);
  const earlier = rmsDb(quiet, rest, 0.4, 0.7) - rmsDb(quiet, rest, 0.1, 0.4);
  const later = laterOf(quiet);
  // What falls by one share from third to third has so much of its way before it.
  const kept = Math.max(0, Math.min(MOST_KEPT, later / earlier || 0));
  const ahead = Math.abs(later) < STILL_DB ? 0 : (Math.abs(later) * kept) / (1 - kept);
  const isOnItsWay = ahead > MOST_DRIFT_SHARE * Math.abs(moved);
  const share = Math.max(0, Math.min(1, given / moved));
  // Two that come back together are on one way.
  const isTogether =
    share > TOGETHER_SHARE && Math.abs(later - laterOf(loud)) < Math.max(STILL_DB, TOGETHER_DRIFT * Math.abs(later));
  return Math.abs(moved) < MOVES_DB || (isOnItsWay && !isTogether) ? null : share;
}
