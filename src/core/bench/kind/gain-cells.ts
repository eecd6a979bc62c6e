import { dbFromPower } from "../../audio/decibels";
import { pow } from "../../audio/exact-math";
import type { Parts } from "../read/parts";
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

/** Two courses of one gain: bursts, and rising steps; each begins where something loud was long ago. */
export type GainCourse = { pieces: LevelPiece[]; cells: GainCell[] };

/** Cells last a period right after a step, then ever more: this part of the time since; and longer where noise asks for it (dB). */
const GROWS = 0.25;
const WANTED_ERROR_DB = 0.4;
const MOST_ERROR_DB = 1.5;
/** A power that lies in noise is taken for no less than this share of it. */
const LEAST_SHARE = 0.1;
/** A step's gain is read over its last quarter. */
const LAST_PART = 0.25;
/** A sine's effective value under its peak (dB). */
const SINE_DB = 3;
/** Nothing is sent at this level (dBFS). */
const SILENT_DBFS = -200;
/** Right after a step edges of waves ring in filters: so many periods are left out. */
const EDGE_PERIODS = 1;

type Given = {
  channel: Float32Array;
  plan: SignalPlan;
  parts: Parts;
  noisePower: number;
  isWhole: (from: number, to: number) => boolean;
};

/** Reads both courses off a channel. Parts that were spoiled are left out. */
export function gainCourses({ channel, plan, parts, noisePower, isWhole }: Given): GainCourse[] {
  const rate = plan.form.sampleRateHz;
  const period = plan.steadyPeriod;
  // Squares add up once, so that cells of any length cost the same.
  const sumsOf = (from: number, to: number) => {
    const sums = new Float64Array(to - from + 1);
    for (let i = from; i < to; i++) sums[i - from + 1] = sums[i - from] + channel[i] * channel[i];
    return sums;
  };
  /** Noise beside a wave moves its power by twice the product of both, and by its own. A wave that lies in it is taken for a little of it. */
  const errorOf = (power: number, frames: number) => {
    const share = noisePower / Math.max(power, LEAST_SHARE * noisePower, 1e-30);
    return 4.343 * Math.sqrt((4 * share + 2 * share * share) / frames);
  };
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
  const { rest, long, afterLong, short, afterShort } = parts.bursts;
  const before = leadIn(plan, rest.startFrame);
  const burstOrigin = rest.startFrame - before.frames;
  const bursts: GainCourse = {
    pieces: [
      ...before.pieces,
      ...[rest, long, afterLong, short, afterShort].map(({ frames, leftDbfs }) => ({
        seconds: frames / rate,
        levelDbfs: leftDbfs,
      })),
    ],
    cells: [rest, long, afterLong, short, afterShort].flatMap((burst) => {
      const isHeldOut = burst === short || burst === afterShort;
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
  };
  const [first] = parts.steady;
  const lead = leadIn(plan, first.startFrame);
  const stepOrigin = first.startFrame - lead.frames;
  const steps: GainCourse = {
    pieces: [...lead.pieces, ...parts.steady.map(({ frames, levelDbfs }) => ({ seconds: frames / rate, levelDbfs }))],
    cells: parts.steady.flatMap((step: Steady, i) => {
      const count = Math.floor((LAST_PART * step.frames) / period) * period;
      const to = step.startFrame + Math.floor(step.frames / period) * period;
      const sums = sumsOf(to - count, to);
      return cellOf(to - count, to, step.levelDbfs, stepOrigin, i % 2 === 1, sums[count]);
    }),
  };
  return [bursts, steps];
}

/** What a detector heard before a part: the mark before it, between silences. */
function leadIn(plan: SignalPlan, startFrame: number): { frames: number; pieces: LevelPiece[] } {
  const rate = plan.form.sampleRateHz;
  const mark = plan.marks.findLast((at) => at < startFrame);
  if (mark === undefined) return { frames: 0, pieces: [] };
  const loudBefore = [...plan.sweeps, plan.deep, ...plan.quietSweeps]
    .filter((s) => s.startFrame + s.frames <= mark)
    .at(-1);
  const markFrames = Math.round(0.05 * rate);
  const pieces: LevelPiece[] = [];
  let from = mark;
  if (loudBefore && mark - loudBefore.startFrame - loudBefore.frames < 2 * rate) {
    from = loudBefore.startFrame;
    pieces.push({ seconds: loudBefore.frames / rate, levelDbfs: loudBefore.levelDbfs - SINE_DB });
    pieces.push({ seconds: (mark - loudBefore.startFrame - loudBefore.frames) / rate, levelDbfs: SILENT_DBFS });
  }
  // A detector hears less of a sine than its peak.
  pieces.push({ seconds: markFrames / rate, levelDbfs: plan.markDbfs - SINE_DB });
  pieces.push({ seconds: (startFrame - mark - markFrames) / rate, levelDbfs: SILENT_DBFS });
  return { frames: startFrame - from, pieces };
}

export const linearOf = (db: number): number => pow(10, db / 20);
