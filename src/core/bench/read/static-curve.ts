import { exp, pow } from "../../audio/exact-math";
import { compressedLevelDb } from "../../processors/level-detection";
import { fittedCurve } from "../find/least-squares";

export type CurvePoint = { inDbfs: number; outDbfs: number };

/** A static curve: threshold, ratio and knee where the points follow one, and how far off they lie at the most. */
export type StaticCurve = {
  /** Null where the points follow no threshold and ratio. */
  thresholdDbfs: number | null;
  /** Above 100 it is reported as a limiter's: no rise at all. */
  ratio: number | null;
  kneeDb: number | null;
  /** Gain under the threshold. */
  gainDb: number;
  misfitDb: number | null;
  points: CurvePoint[];
  /** One standard deviation of each; null, or none, where they are not known. */
  errors?: { thresholdDb: number; ratio: number; kneeDb: number } | null;
};

/** Levels that move by less over the ladder move by error (dB). */
const MOVES_DB = 0.3;
/** A static curve is told that leaves no more than this (dB, RMS). */
const FITS_DB = 0.4;
const MOST_RATIO = 100;
/** A curve that bends less than this bends by error. */
const LEAST_SLOPE = 0.98;
/** Where the fit begins is looked for among these. */
const SLOPES = [0, 0.1, 0.2, 0.3, 0.5, 0.7, 0.9];
const KNEES_DB = [0.5, 5, 12, 24];
const THRESHOLDS = 24;

/**
 * Fits the static curve of a downward compressor with a quadratic knee (Giannoulis, Massberg and Reiss 2012, eq. 4) to steady levels. Null where
 * the gain does not move.
 */
export function readStaticCurve(points: readonly CurvePoint[]): StaticCurve | null {
  const gains = points.map(({ inDbfs, outDbfs }) => outDbfs - inDbfs);
  const [least, most] = [Math.min(...gains), Math.max(...gains)];
  if (most - least < MOVES_DB) return null;
  const rest = gains.slice(0, 3).reduce((sum, g) => sum + g, 0) / 3;
  const curve = ([threshold, slope, knee, gain]: readonly number[]) =>
    points.map(({ inDbfs }) => gain + compressedLevelDb(inDbfs, threshold, 1 / Math.max(slope, 1e-6), knee) - inDbfs);
  const [lowest, highest] = [points[0].inDbfs, points[points.length - 1].inDbfs];
  let best = { values: [highest, 1, 0, rest], rms: Number.POSITIVE_INFINITY };
  for (const kneeDb of KNEES_DB) {
    const start = nearestOnGrid(gains, lowest, highest, rest, kneeDb, curve);
    const fitted = fittedCurve(
      [
        { start: start[0], lowest: lowest - 10, highest, step: 1e-3 },
        { start: start[1], lowest: 0, highest: 1, step: 1e-4 },
        { start: kneeDb, lowest: 0, highest: 40, step: 1e-3 },
        { start: rest, lowest: -60, highest: 60, step: 1e-3 },
      ],
      gains,
      curve,
    );
    if (fitted.rms < best.rms) best = fitted;
  }
  const told = { points: [...points], gainDb: rest };
  if (best.rms > FITS_DB || best.values[1] > LEAST_SLOPE)
    return { ...told, thresholdDbfs: null, ratio: null, kneeDb: null, misfitDb: best.rms };
  const [thresholdDbfs, slope, kneeDb, gainDb] = best.values;
  return {
    ...told,
    thresholdDbfs,
    ratio: Math.min(MOST_RATIO, 1 / Math.max(slope, 1e-6)),
    kneeDb,
    gainDb,
    misfitDb: best.rms,
  };
}

/** What remains of a way this small is nothing. */
const LEAST_LEFT = 0.003;

/** Gains at the ends of steps one after the other as they would have come to be, had an attack had time: a one-pole's way is known from what it has come. */
export function settledGains(gains: readonly number[], stepMs: number, attackMs: number | null): number[] {
  const left = attackMs === null || attackMs <= 0 ? 0 : exp(-stepMs / attackMs);
  if (left < LEAST_LEFT) return [...gains];
  return gains.map((gain, i) => (i === 0 ? gain : (gain - gains[i - 1] * left) / (1 - left)));
}

/** A gain that rises by less from step to step rises by error (dB). */
const RISES_DB = 0.02;
/** So many steps have to be left to tell a static curve by. */
const LEFT_FOR_LAW = 5;
/** What may be left to let go of where a static curve begins (dB): by so much a threshold may be off. */
const STILL_HELD_DB = 0.25;
/** One step alone does not tell how fast it lets go. */
const HALF = 0.5;

/**
 * The first of rising steps from which a gain that ends lower no longer rises: until there it releases what came before.
 *
 * @param gains dB, at least one
 * @param errorsDb what noise may move each of them by, none by default
 */
export function lastRise(gains: readonly number[], errorsDb: readonly number[] = []): number {
  const last = Math.max(0, gains.length - LEFT_FOR_LAW);
  const first = gains.findIndex((gain, i) => i >= last || gains[i + 1] <= gain + RISES_DB + (errorsDb[i] ?? 0));
  // What ends higher than it began is no compressor that lets go.
  return first <= 0 || gains[gains.length - 1] >= gains[first] - MOVES_DB ? 0 : first;
}

/**
 * The first of rising steps that is not still letting go of what came before them: a gain that rises with level says nothing of a compressor's static curve. Null
 * where it has not let go before the static curve begins: from step to step what is held shrinks by the same share, so the first two tell what remains.
 */
export function firstAtRest(gains: readonly number[]): number | null {
  const first = lastRise(gains);
  if (first === 0) return 0;
  const isFlat = Math.abs(gains[first + 1] - gains[first]) <= RISES_DB;
  if (isFlat) return first;
  // By the first two, which no static curve bends yet.
  const [rise, next] = [gains[1] - gains[0], gains[2] - gains[1]];
  const share = first > 1 ? next / rise : HALF;
  const left = share > 0 && share < 1 ? (rise * pow(share, first)) / (1 - share) : Number.POSITIVE_INFINITY;
  return left < STILL_HELD_DB ? first : null;
}

/** Threshold and slope of a grid that come closest with a knee. */
function nearestOnGrid(
  gains: readonly number[],
  lowest: number,
  highest: number,
  rest: number,
  knee: number,
  curve: (values: readonly number[]) => number[],
): number[] {
  let best = { values: [highest, 1], error: Number.POSITIVE_INFINITY };
  for (let t = 0; t < THRESHOLDS; t++)
    for (const slope of SLOPES) {
      const values = [lowest + ((highest - lowest) * t) / THRESHOLDS, slope];
      const error = curve([...values, knee, rest]).reduce((sum, v, i) => sum + (v - gains[i]) ** 2, 0);
      if (error < best.error) best = { values, error };
    }
  return best.values;
}
