import { dbFromPower } from "../../audio/decibels";
import type { Parts } from "../read/parts";
import { powerErrorDb } from "../read/power-error";
import type { SignalPlan, Steady } from "../signal/signal-plan";

/** The level of a wave of one magnitude over time, piece by piece, as a detector sees it. */
export type LevelPiece = { seconds: number; levelDbfs: number };

/** A gain that was read over a stretch of time, from the first piece's beginning on. */
export type GainCell = {
  fromSeconds: number;
  toSeconds: number;
  levelDbfs: number;
  gainDb: number;
  errorDb: number;
  isHeldOut: boolean;
};

/** Two courses of one gain: bursts, and rising steps; each begins at the first gain that is known well. */
export type GainCourse = { pieces: LevelPiece[]; cells: GainCell[]; first: GainCell | null };

/** Cells last a period right after a step, then ever more: this part of the time since; and longer where noise asks for it (dB). */
const GROWS = 0.25;
const WANTED_ERROR_DB = 0.4;
const MOST_ERROR_DB = 1.5;
/** A power that lies in noise is taken for no less than this share of it. */
const LEAST_SHARE = 0.1;
/** A step's gain is read over its last quarter. */
const LAST_PART = 0.25;
/** Every so many-th step is held out. */
const HELD_OUT_EVERY = 3;
/** Right after a step edges of waves ring in filters: so many periods are left out. */
const EDGE_PERIODS = 1;

type Given = {
  channel: Float32Array;
  plan: SignalPlan;
  parts: Parts;
  noisePower: number;
  /** How evenly noise is spread over frequency, 1 of white noise: what lies in few bins fluctuates more. */
  noiseEvenness?: number;
  isWhole: (from: number, to: number) => boolean;
};

/** Reads both courses off a channel. Parts that were spoiled are left out. */
export function gainCourses({ channel, plan, parts, noisePower, noiseEvenness = 1, isWhole }: Given): GainCourse[] {
  const rate = plan.form.sampleRateHz;
  const period = plan.steadyPeriod;
  // Squares add up once, so that cells of any length cost the same.
  const sumsOf = (from: number, to: number) => {
    const sums = new Float64Array(to - from + 1);
    for (let i = from; i < to; i++) sums[i - from + 1] = sums[i - from] + channel[i] * channel[i];
    return sums;
  };
  /** A wave that lies in noise is taken for a little of it. */
  const errorOf = (power: number, frames: number) =>
    powerErrorDb(noisePower / Math.max(power, LEAST_SHARE * noisePower, 1e-30), frames, noiseEvenness);
  const cellOf = (
    from: number,
    to: number,
    levelDbfs: number,
    origin: number,
    isHeldOut: boolean,
    energy: number,
  ): GainCell[] => {
    if (!isWhole(from, to)) return [];
    const power = energy / (to - from) - noisePower;
    const errorDb = errorOf(power, to - from);
    if (power <= 0 || errorDb > MOST_ERROR_DB) return [];
    const [fromSeconds, toSeconds] = [(from - origin) / rate, (to - origin) / rate];
    return [
      {
        fromSeconds,
        toSeconds,
        levelDbfs,
        gainDb: dbFromPower(Math.max(1e-16, power)) - levelDbfs,
        errorDb,
        isHeldOut,
      },
    ];
  };
  const list = [
    parts.bursts.rest,
    parts.bursts.long,
    parts.bursts.afterLong,
    parts.bursts.short,
    parts.bursts.afterShort,
  ];
  const burstOrigin = list[0].startFrame;
  const bursts = fromKnown({
    pieces: list.map(({ frames, leftDbfs }) => ({ seconds: frames / rate, levelDbfs: leftDbfs })),
    cells: list.flatMap((burst, n) => {
      const isHeldOut = n > 2;
      const cells: GainCell[] = [];
      const first = burst.startFrame + EDGE_PERIODS * period;
      const end = burst.startFrame + burst.frames - EDGE_PERIODS * period;
      const sums = sumsOf(first, Math.max(first, end));
      const energyOf = (from: number, to: number) => sums[to - first] - sums[from - first];
      let at = first;
      while (at + period <= end) {
        let to = at + period * Math.max(1, Math.floor((GROWS * (at - burst.startFrame)) / period));
        // As long as noise asks for: cells are never chosen by what came out in them.
        while (to + period <= end && errorOf(energyOf(at, to) / (to - at) - noisePower, to - at) > WANTED_ERROR_DB)
          to += period;
        if (to > end) break;
        cells.push(...cellOf(at, to, burst.leftDbfs, burstOrigin, isHeldOut, energyOf(at, to)));
        at = to;
      }
      return cells;
    }),
  });
  const stepOrigin = parts.steady[0].startFrame;
  const steps = fromKnown({
    pieces: parts.steady.map(({ frames, levelDbfs }) => ({ seconds: frames / rate, levelDbfs })),
    cells: parts.steady.flatMap((step: Steady, i) => {
      const count = Math.floor((LAST_PART * step.frames) / period) * period;
      const to = step.startFrame + Math.floor(step.frames / period) * period;
      const sums = sumsOf(to - count, to);
      return cellOf(to - count, to, step.levelDbfs, stepOrigin, i % HELD_OUT_EVERY === 1, sums[count]);
    }),
  });
  return [bursts, steps];
}

/** A first gain has to be known to this (dB). */
const KNOWN_START_DB = 0.5;

/** A course from its first well known gain on: what was before that, and what is still let go of, is in it. */
function fromKnown({ pieces, cells }: Omit<GainCourse, "first">): GainCourse {
  const first = cells.find(({ errorDb }) => errorDb < KNOWN_START_DB) ?? cells[0];
  if (!first) return { pieces, cells: [], first: null };
  const from = (first.fromSeconds + first.toSeconds) / 2;
  let at = 0;
  const rest = pieces.flatMap((piece) => {
    const end = at + piece.seconds;
    const seconds = Math.min(piece.seconds, end - from);
    at = end;
    return seconds > 0 ? [{ ...piece, seconds }] : [];
  });
  const later = cells.slice(cells.indexOf(first) + 1);
  return {
    pieces: rest,
    cells: later.map((cell) => ({ ...cell, fromSeconds: cell.fromSeconds - from, toSeconds: cell.toSeconds - from })),
    first,
  };
}
