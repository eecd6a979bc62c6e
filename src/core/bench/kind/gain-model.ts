import { exp, log, log10, pow } from "../../audio/exact-math";
import { compressedLevelDb } from "../../processors/level-detection";
import { effective, fittedCurve, type Parameter } from "../find/least-squares";
import type { GainCell, GainCourse } from "./gain-cells";

/**
 * How a gain follows a level: the gain is smoothed, the power, both one after the other, or the gain with some of the input mixed to what comes out
 * (parallel compression). One that listens to its own output is to the outside like the first with a lower ratio.
 */
export const DETECTORS = ["gain", "power", "rms", "parallel"] as const;
export type Detector = (typeof DETECTORS)[number];

/** A gain that follows level: a static curve and two time constants. */
export type GainModel = {
  /** Above its threshold a compressor's, below it an expander's. */
  curve: "downward" | "expander";
  detector: Detector;
  thresholdDbfs: number;
  ratio: number;
  kneeDb: number;
  /** An expander takes off no more than this (dB). */
  rangeDb: number;
  /** Gain where the curve does nothing. */
  gainDb: number;
  /** Time constants of falling and of rising gain, ms, and how long it stays before it rises. */
  downMs: number;
  upMs: number;
  holdMs: number;
  lookAheadMs: number;
  /** Of the detector where it is of the kind `rms`, else 0. */
  rmsMs: number;
  /** Share of what is compressed in what comes out, beside the input. */
  mix: number;
  /** What it leaves of the gains it was fitted on, and of those held out, dB (effective values); how far these gains span. */
  fittedDb: number;
  heldOutDb: number;
  spanDb: number;
};

type Curve = (levelDb: number) => number;
type Times = Pick<GainModel, "downMs" | "upMs" | "holdMs" | "lookAheadMs" | "rmsMs" | "mix">;

/** Steps of a gain that follows smoothed power, as a part of that's time constant. */
const STEP = 0.2;
const MOST_STEPS = 400;
/** A level that is this far under everything else is none (dB). */
const FLOOR_DB = -160;

/** The gain of a static curve at each cell's middle, over a course, dB. */
export function simulated({ pieces, cells }: GainCourse, detector: Detector, curve: Curve, times: Times): Float64Array {
  const output = new Float64Array(cells.length);
  const step = (tau: number, ms: number) => (tau <= 0 ? 0 : exp(-ms / tau));
  let state = detector === "power" ? pow(10, FLOOR_DB / 10) : curve(FLOOR_DB);
  let power = pow(10, FLOOR_DB / 10);
  let at = 0;
  let next = 0;
  let heldMs = 0;
  /** Lets time go by at one level, ms. */
  const run = (levelDb: number, ms: number) => {
    if (ms <= 0) return;
    if (detector === "power") {
      const wanted = pow(10, Math.max(FLOOR_DB, levelDb) / 10);
      const isUp = wanted > state;
      const free = isUp ? ms : waited(ms, times.holdMs);
      // More power is less gain: what falls there rises here.
      state = wanted + step(isUp ? times.downMs : times.upMs, free) * (state - wanted);
      return;
    }
    const steps =
      detector === "rms" ? Math.min(MOST_STEPS, Math.max(1, Math.ceil(ms / (STEP * times.rmsMs + 1e-3)))) : 1;
    const sent = pow(10, Math.max(FLOOR_DB, levelDb) / 10);
    for (let n = 0; n < steps; n++) {
      power = sent + step(times.rmsMs, ms / steps) * (power - sent);
      const heard = detector === "rms" ? 10 * log10(power) : levelDb;
      const wanted = curve(Math.max(FLOOR_DB, heard));
      const isDown = wanted < state;
      const free = isDown ? ms / steps : waited(ms / steps, times.holdMs);
      state = wanted + step(isDown ? times.downMs : times.upMs, free) * (state - wanted);
    }
  };
  const waited = (ms: number, holdMs: number) => {
    const rest = Math.max(0, holdMs - heldMs);
    heldMs += ms;
    return Math.max(0, ms - rest);
  };
  const gainNow = () => {
    if (detector === "power") return curve(10 * log10(state));
    return times.mix === 1 ? state : 20 * log10(1 - times.mix + times.mix * pow(10, state / 20));
  };
  for (const { seconds, levelDbfs } of pieces) {
    heldMs = 0;
    const end = at + 1000 * seconds;
    while (next < cells.length) {
      const middle = 500 * (cells[next].fromSeconds + cells[next].toSeconds) + times.lookAheadMs;
      if (middle > end) break;
      run(levelDbfs, middle - at);
      at = middle;
      output[next++] = gainNow();
    }
    run(levelDbfs, end - at);
    at = end;
  }
  for (; next < cells.length; next++) output[next] = gainNow();
  return output;
}

/** A static curve's gain at a level: of a downward compressor, or of an expander with a floor. */
export function curveOf({
  curve,
  thresholdDbfs,
  ratio,
  kneeDb,
  rangeDb,
}: Pick<GainModel, "curve" | "thresholdDbfs" | "ratio" | "kneeDb" | "rangeDb">): Curve {
  if (curve === "downward") return (level) => compressedLevelDb(level, thresholdDbfs, ratio, kneeDb) - level;
  return (level) => Math.max(-rangeDb, Math.min(0, (ratio - 1) * (level - thresholdDbfs)));
}

const MOST_RATIO = 100;
const LEAST_MS = 0.01;
const MOST_MS = 5000;
/** Where a fit begins: slopes above the threshold, and thresholds as parts of the levels that were sent. */
const SLOPES = [0.02, 0.25, 0.6];
const KNEES_DB = [0.2, 10];
const THRESHOLD_PARTS = [0.3, 0.5, 0.6, 0.7, 0.8, 0.9];
const RMS_MS = 10;
/** All of a course that has many cells weighs as much as so many. */
const COURSE_CELLS = 40;
const EXPANDER_RATIOS = [2, 10];
const STARTS_KEPT = 2;

/** Time constants to begin with. */
export type Seeds = { downMs: number; upMs: number; holdMs: number; lookAheadMs: number };

/** The gain model of each kind of detector that comes closest to courses, the best first. */
export function gainModels(
  courses: readonly GainCourse[],
  direction: GainModel["curve"],
  seeds: Seeds,
  detectors: readonly Detector[] = DETECTORS,
): GainModel[] {
  const part = (isHeldOut: boolean) =>
    courses.map((course) => ({ ...course, cells: course.cells.filter((cell) => cell.isHeldOut === isHeldOut) }));
  const [fitted, heldOut] = [part(false), part(true)];
  const gainsIn = (list: readonly GainCourse[]) => list.flatMap(({ cells }) => cells.map(({ gainDb }) => gainDb));
  const read = gainsIn(fitted);
  const rest = gainsIn(heldOut);
  if (read.length < LEAST_CELLS) return [];
  // Courses weigh alike, however many cells they have.
  const weights = fitted.flatMap(({ cells }) =>
    cells.map(() => Math.sqrt(COURSE_CELLS / Math.max(COURSE_CELLS, cells.length))),
  );
  const wanted = read.map((db, i) => db * weights[i]);
  const levels = courses
    .flatMap(({ pieces }) => pieces.map(({ levelDbfs }) => levelDbfs))
    .filter((db) => db > FLOOR_DB);
  const [lowest, highest] = [Math.min(...levels), Math.max(...levels)];
  const quietDb = Math.max(...read);
  const spanDb = quietDb - Math.min(...read);
  return detectors
    .flatMap((detector): GainModel[] => {
      const modelOf = (values: readonly number[]): Omit<GainModel, "fittedDb" | "heldOutDb" | "spanDb"> => ({
        curve: direction,
        detector,
        thresholdDbfs: values[0],
        ratio: direction === "downward" ? Math.min(MOST_RATIO, 1 / Math.max(1e-6, values[1])) : values[1],
        kneeDb: direction === "downward" ? values[2] : 0,
        rangeDb: direction === "downward" ? 0 : values[2],
        gainDb: values[3],
        downMs: exp(values[4]),
        upMs: exp(values[5]),
        rmsMs: detector === "rms" ? exp(values[6]) : 0,
        mix: detector === "parallel" ? values[6] : 1,
        holdMs: seeds.holdMs,
        lookAheadMs: seeds.lookAheadMs,
      });
      const gainsOf = (of: readonly GainCourse[], values: readonly number[]) => {
        const model = modelOf(values);
        const curve = curveOf(model);
        return of.flatMap((course) => Array.from(simulated(course, detector, curve, model), (db) => db + model.gainDb));
      };
      const weighted = (values: readonly number[]) => gainsOf(fitted, values).map((db, i) => db * weights[i]);
      const time = (ms: number): Parameter => ({
        start: log(Math.max(LEAST_MS, ms)),
        lowest: log(LEAST_MS),
        highest: log(MOST_MS),
        step: 1e-4,
      });
      const parameters = (threshold: number, slope: number, third: number): Parameter[] => [
        { start: threshold, lowest: lowest - 12, highest: highest + 3, step: 1e-3 },
        direction === "downward"
          ? { start: slope, lowest: 0, highest: 1, step: 1e-4 }
          : { start: slope, lowest: 1, highest: MOST_RATIO, step: 1e-3 },
        { start: third, lowest: 0, highest: direction === "downward" ? 40 : 120, step: 1e-3 },
        { start: quietDb, lowest: -90, highest: 90, step: 1e-3 },
        time(seeds.downMs),
        time(seeds.upMs),
        ...(detector === "rms" ? [time(RMS_MS)] : []),
        ...(detector === "parallel" ? [{ start: 0.6, lowest: 0.05, highest: 1, step: 1e-4 }] : []),
      ];
      const [slopes, thirds] = direction === "downward" ? [SLOPES, KNEES_DB] : [EXPANDER_RATIOS, [Math.max(6, spanDb)]];
      const starts = THRESHOLD_PARTS.flatMap((share) =>
        slopes.flatMap((slope) =>
          thirds.map((third) => {
            const given = parameters(lowest + share * (highest - lowest), slope, third);
            const error = effective(weighted(given.map(({ start }) => start)).map((db, i) => db - wanted[i]));
            return { given, error };
          }),
        ),
      ).toSorted((a, b) => a.error - b.error);
      const fits = starts.slice(0, STARTS_KEPT).map(({ given }) => fittedCurve(given, wanted, weighted));
      const best = fits.reduce((a, b) => (b.rms < a.rms ? b : a));
      const errorsOf = (of: readonly GainCourse[], gains: readonly number[]) =>
        effective(gainsOf(of, best.values).map((db, i) => db - gains[i]));
      return [
        {
          ...modelOf(best.values),
          fittedDb: errorsOf(fitted, read),
          heldOutDb: errorsOf(heldOut, rest),
          spanDb,
        },
      ];
    })
    .toSorted((a, b) => Math.hypot(a.fittedDb, a.heldOutDb) - Math.hypot(b.fittedDb, b.heldOutDb));
}

const LEAST_CELLS = 12;

/** Errors of cells, dB (effective value): no model has to come closer. */
export const errorOfCells = (cells: readonly GainCell[]): number => effective(cells.map(({ errorDb }) => errorDb));
