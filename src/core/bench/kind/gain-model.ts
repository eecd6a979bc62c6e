import { exp, hypot, log, log10, pow } from "../../audio/exact-math";
import { factorScaled, solveScaled } from "../../numeric/cholesky";
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
  /** What each may be off by, one standard deviation: dB, and shares of themselves. */
  errors: {
    thresholdDb: number;
    slope: number;
    ratioShare: number;
    kneeDb: number;
    downShare: number;
    upShare: number;
    holdMs: number;
  };
  /** What it leaves of the gains it was fitted on, and of those held out, dB (effective values); how far these gains span. */
  fittedDb: number;
  heldOutDb: number;
  spanDb: number;
};

type Curve = (levelDb: number) => number;
type Times = Pick<GainModel, "downMs" | "upMs" | "holdMs" | "lookAheadMs" | "rmsMs" | "mix">;

/** Steps of a gain that follows smoothed power, as a part of that's time constant. */
const STEP = 0.2;
const STEPS_GROW = 1.1;
const STILL_SHARE = 1e-4;
/** Cells that last longer than this are looked at in so many places. */
const LONG_CELL_SECONDS = 0.003;
const LOOKS = 4;
/** A level that is this far under everything else is none (dB). */
const FLOOR_DB = -160;

/** Where cells are looked at, in order of time: which cell, what share of it, and when (ms). */
type Looks = { cell: Int32Array; share: Float64Array; ms: Float64Array };

/** A fit looks at the same cells hundreds of times. */
const looksOf = new WeakMap<readonly GainCell[], Looks>();

function looksAt(cells: readonly GainCell[]): Looks {
  const known = looksOf.get(cells);
  if (known) return known;
  // A long cell's power is the mean of what moves meanwhile: it is looked at in several places.
  const all = cells.flatMap(({ fromSeconds, toSeconds }, cell) => {
    const count = toSeconds - fromSeconds > LONG_CELL_SECONDS ? LOOKS : 1;
    return Array.from({ length: count }, (_, n) => ({
      cell,
      share: 1 / count,
      ms: 1000 * (fromSeconds + ((n + 0.5) / count) * (toSeconds - fromSeconds)),
    }));
  });
  const looks = {
    cell: Int32Array.from(all, ({ cell }) => cell),
    share: Float64Array.from(all, ({ share }) => share),
    ms: Float64Array.from(all, ({ ms }) => ms),
  };
  looksOf.set(cells, looks);
  return looks;
}

/** The gain of a static curve in each cell, over a course that begins as it was read, dB; `gainDb` is what the curve stands on. */
export function simulated(
  { pieces, cells, first }: GainCourse,
  detector: Detector,
  curve: Curve,
  times: Times,
  gainDb: number,
  direction: GainModel["curve"] = "downward",
): Float64Array {
  const output = new Float64Array(cells.length);
  const { downMs, upMs, holdMs, lookAheadMs, rmsMs, mix } = times;
  const step = (tau: number, ms: number) => (tau <= 0 ? 0 : exp(-ms / tau));
  const begins = Math.max(FLOOR_DB, pieces[0]?.levelDbfs ?? FLOOR_DB);
  const atRest = curve(begins);
  const started = first === null ? atRest : first.gainDb - gainDb;
  let power = pow(10, begins / 10);
  // Noise in the first gain is no gain.
  let state = detector === "power" ? power : Math.abs(started - atRest) > 3 * (first?.errorDb ?? 0) ? started : atRest;
  let at = 0;
  let next = 0;
  let heldMs = 0;
  /** What was sent in a piece, and the gain that its curve wants there. */
  let sent = power;
  let wantedThere = atRest;
  const waited = (ms: number) => {
    const rest = Math.max(0, holdMs - heldMs);
    heldMs += ms;
    return Math.max(0, ms - rest);
  };
  const follow = (wanted: number, ms: number) => {
    const isDown = wanted < state;
    // What lets go is held: a compressor's gain before it rises, an expander's before it falls.
    const isHeld = isDown === (direction === "expander");
    const free = isHeld ? waited(ms) : ms;
    state = wanted + step(isDown ? downMs : upMs, free) * (state - wanted);
  };
  /** Lets time go by at one level, ms. */
  const run = (ms: number) => {
    if (ms <= 0) return;
    if (detector === "power") {
      const isUp = sent > state;
      const free = isUp ? ms : waited(ms);
      // More power is less gain: what falls there rises here.
      state = sent + step(isUp ? downMs : upMs, free) * (state - sent);
      return;
    }
    if (detector !== "rms") {
      follow(wantedThere, ms);
      return;
    }
    let rest = ms;
    let length = STEP * rmsMs + 1e-3;
    while (rest > 0) {
      // Power that has come to rest needs no steps.
      const isStill = Math.abs(power - sent) < STILL_SHARE * Math.max(power, sent);
      const now = isStill ? rest : Math.min(rest, length);
      length *= STEPS_GROW;
      rest -= now;
      power = sent + step(rmsMs, now) * (power - sent);
      follow(curve(Math.max(FLOOR_DB, 10 * log10(power))), now);
    }
  };
  const gainNow = () => {
    if (detector === "power") return curve(10 * log10(state));
    return mix === 1 ? state : 20 * log10(1 - mix + mix * pow(10, state / 20));
  };
  const looks = looksAt(cells);
  const look = () => {
    output[looks.cell[next]] += looks.share[next] * pow(10, gainNow() / 10);
    next++;
  };
  for (const { seconds, levelDbfs } of pieces) {
    heldMs = 0;
    const heard = Math.max(FLOOR_DB, levelDbfs);
    if (detector === "power" || detector === "rms") sent = pow(10, heard / 10);
    else wantedThere = curve(heard);
    const end = at + 1000 * seconds;
    while (next < looks.ms.length && looks.ms[next] + lookAheadMs <= end) {
      const ms = looks.ms[next] + lookAheadMs;
      run(ms - at);
      at = ms;
      look();
    }
    run(end - at);
    at = end;
  }
  while (next < looks.ms.length) look();
  for (let i = 0; i < output.length; i++) output[i] = 10 * log10(Math.max(1e-20, output[i]));
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
/** Knees that the last fit begins from as well, and what one has to leave less of (share). */
const HARD_KNEE_DB = 0.2;
const SOFT_KNEE_DB = 6;
const KNEE_WORTH = 0.9;
/** All of a course that has many cells weighs as much as so many. */
const COURSE_CELLS = 40;
const EXPANDER_RATIOS = [2, 10];
const STARTS_KEPT = 2;
/** Goes of a fit: further ones hardly move it. */
const GOES = 6;

/** Time constants to begin with. */
export type Seeds = { downMs: number; upMs: number; holdMs: number; lookAheadMs: number };

/** The gain model of each kind of detector that comes closest to courses, the best first. */
export function gainModels(
  courses: readonly GainCourse[],
  direction: GainModel["curve"],
  seeds: Seeds,
  detectors: readonly Detector[] = DETECTORS,
  near: GainModel | null = null,
  isFinal = false,
): GainModel[] {
  const part = (isHeldOut: boolean) =>
    courses.map((course) => ({ ...course, cells: course.cells.filter((cell) => cell.isHeldOut === isHeldOut) }));
  const [fitted, heldOut] = [part(false), part(true)];
  const gainsIn = (list: readonly GainCourse[]) => list.flatMap(({ cells }) => cells.map(({ gainDb }) => gainDb));
  const read = gainsIn(fitted);
  const rest = gainsIn(heldOut);
  if (read.length < LEAST_CELLS) return [];
  // Courses weigh alike, however many cells they have.
  const weightsOf = (list: readonly GainCourse[]) =>
    list.flatMap(({ cells }) =>
      cells.map(
        ({ errorDb }) =>
          Math.sqrt(COURSE_CELLS / Math.max(COURSE_CELLS, cells.length)) / Math.max(1, errorDb / SAME_ERROR_DB),
      ),
    );
  const [weights, allWeights] = [weightsOf(fitted), weightsOf(courses)];
  const allWanted = gainsIn(courses).map((db, i) => db * allWeights[i]);
  const allErrors = courses.flatMap(({ cells }) => cells.map(({ errorDb }) => errorDb));
  const wanted = read.map((db, i) => db * weights[i]);
  const levels = courses
    .flatMap(({ pieces }) => pieces.map(({ levelDbfs }) => levelDbfs))
    .filter((db) => db > FLOOR_DB);
  const [lowest, highest] = [Math.min(...levels), Math.max(...levels)];
  const quietDb = Math.max(...read);
  const spanDb = quietDb - Math.min(...read);
  return detectors
    .flatMap((detector): GainModel[] => {
      const modelOf = (values: readonly number[]): Omit<GainModel, "errors" | "fittedDb" | "heldOutDb" | "spanDb"> => ({
        curve: direction,
        detector,
        thresholdDbfs: values[0],
        // Not cut off at any ratio: how well a limiter's slope is known shows in how the curve moves with it.
        ratio: direction === "downward" ? 1 / Math.max(1e-6, values[1]) : values[1],
        kneeDb: direction === "downward" ? values[2] : 0,
        rangeDb: direction === "downward" ? 0 : values[2],
        gainDb: values[3],
        downMs: exp(values[4]),
        upMs: exp(values[5]),
        rmsMs: detector === "rms" ? exp(values[6]) : 0,
        mix: detector === "parallel" ? values[6] : 1,
        holdMs: detector === "gain" && seeds.holdMs > 0 ? values[6] : seeds.holdMs,
        lookAheadMs: seeds.lookAheadMs,
      });
      const gainsOf = (of: readonly GainCourse[], values: readonly number[]) => {
        const model = modelOf(values);
        const curve = curveOf(model);
        const gains: number[] = [];
        for (const course of of)
          for (const db of simulated(course, detector, curve, model, model.gainDb, direction))
            gains.push(db + model.gainDb);
        return gains;
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
        ...(detector === "gain" && seeds.holdMs > 0
          ? [{ start: seeds.holdMs, lowest: 0, highest: 1000, step: 1e-2 }]
          : []),
        ...(detector === "parallel" ? [{ start: 0.6, lowest: 0.05, highest: 1, step: 1e-4 }] : []),
      ];
      const [slopes, thirds] = direction === "downward" ? [SLOPES, KNEES_DB] : [EXPANDER_RATIOS, [Math.max(6, spanDb)]];
      const nearSlope = near ? (direction === "downward" ? 1 / near.ratio : near.ratio) : 0;
      // Beside its input a compressor works harder than both together look.
      const nearSlopes = detector === "parallel" ? [nearSlope, ...PARALLEL_SLOPES] : [nearSlope];
      const begun = near
        ? nearSlopes.map((slope) =>
            parameters(near.thresholdDbfs, slope, near.kneeDb + near.rangeDb).map((p, i) =>
              i === 4 ? { ...p, start: log(near.downMs) } : i === 5 ? { ...p, start: log(near.upMs) } : p,
            ),
          )
        : THRESHOLD_PARTS.flatMap((share) =>
            slopes.flatMap((slope) =>
              thirds.map((third) => parameters(lowest + share * (highest - lowest), slope, third)),
            ),
          );
      const starts = begun
        .map((given) => ({
          given,
          error: effective(weighted(given.map(({ start }) => start)).map((db, i) => db - wanted[i])),
        }))
        .toSorted((a, b) => a.error - b.error);
      const fits = starts
        .slice(0, STARTS_KEPT)
        .map(({ given }) => fittedCurve(given, wanted, weighted, { goes: GOES }));
      const nearest = fits.reduce((a, b) => (b.rms < a.rms ? b : a));
      // A knee hardly moves the error where it is small: a hard one is tried for itself.
      const [bounds] = starts;
      const isHardTried = direction === "downward" && nearest.values[2] > 0.5;
      const hard = isHardTried
        ? fittedCurve(
            bounds.given.map((p, i) => ({ ...p, start: i === 2 ? HARD_KNEE_DB : nearest.values[i] })),
            wanted,
            weighted,
            { goes: GOES },
          )
        : nearest;
      const best = hard.rms < nearest.rms ? hard : nearest;
      // What was held out has judged the kind of model; its numbers are then of all there is.
      const allOf = (values: readonly number[]) => gainsOf(courses, values).map((db, i) => db * allWeights[i]);
      // A hard knee is the plainest: a soft one has to be worth it.
      const finalThirds = direction === "downward" ? [HARD_KNEE_DB, best.values[2], SOFT_KNEE_DB] : [best.values[2]];
      const finals = !isFinal
        ? [best]
        : finalThirds.map((third) =>
            fittedCurve(
              bounds.given.map((p, i) => ({ ...p, start: i === 2 ? third : best.values[i] })),
              allWanted,
              allOf,
              { goes: GOES },
            ),
          );
      const last = finals.reduce((a, b) => (b.rms < KNEE_WORTH * a.rms ? b : a));
      const spread = !isFinal
        ? last.values.map(() => 0)
        : errorsAt(
            allOf,
            last.values,
            bounds.given,
            Math.max(last.rms, effective(allErrors.map((e, i) => e * allWeights[i]))),
          );
      const errorsOf = (of: readonly GainCourse[], gains: readonly number[]) => {
        const shares = of.flatMap(({ cells }) => cells.map(shareOf));
        const told = gainsOf(of, best.values);
        const all = shares.reduce((sum, w) => sum + w, 0);
        return Math.sqrt(told.reduce((sum, db, i) => sum + shares[i] * (db - gains[i]) ** 2, 0) / Math.max(1e-9, all));
      };
      return [
        {
          ...modelOf(last.values),
          ratio: Math.min(MOST_RATIO, modelOf(last.values).ratio),
          errors: {
            thresholdDb: spread[0],
            slope: direction === "downward" ? spread[1] : 0,
            // The slope is 1 / ratio.
            ratioShare:
              direction === "downward" ? spread[1] / Math.max(1e-6, last.values[1]) : spread[1] / last.values[1],
            kneeDb: direction === "downward" ? spread[2] : 0,
            downShare: spread[4],
            upShare: spread[5],
            holdMs: detector === "gain" && seeds.holdMs > 0 ? spread[6] : 0,
          },
          fittedDb: errorsOf(fitted, read),
          heldOutDb: errorsOf(heldOut, rest),
          spanDb,
        },
      ];
    })
    .toSorted((a, b) => hypot(a.fittedDb, a.heldOutDb) - hypot(b.fittedDb, b.heldOutDb));
}

/** Neighbouring cells are off alike: as if there were half as many. */
const ALIKE_CELLS = 2;

/** What each parameter of a fit may be off by, one standard deviation, from how the curve moves with each (Gauss and Newton's covariance). */
function errorsAt(
  curve: (values: readonly number[]) => number[],
  values: readonly number[],
  parameters: readonly Parameter[],
  rms: number,
): number[] {
  const size = values.length;
  const columns = values.map((value, p) => {
    const step = 10 * parameters[p].step;
    const at = (v: number) => curve(values.map((own, i) => (i === p ? v : own)));
    const [up, down] = [at(value + step), at(value - step)];
    return up.map((v, i) => (v - down[i]) / (2 * step));
  });
  const matrix = new Float64Array(size * size);
  for (let a = 0; a < size; a++)
    for (let b = 0; b < size; b++) matrix[a * size + b] = columns[a].reduce((sum, v, i) => sum + v * columns[b][i], 0);
  const factor = factorScaled(matrix, size, 1e-9);
  return values.map((_, p) => {
    const unit = new Float64Array(size);
    unit[p] = 1;
    return rms * Math.sqrt(Math.max(0, ALIKE_CELLS * solveScaled(factor, unit)[p]));
  });
}

const LEAST_CELLS = 12;
/** Slopes that parallel compression begins from: ratios of 4 and 12. */
const PARALLEL_SLOPES = [1 / 4, 1 / 12];
/** Cells weigh alike that are known to this, others less (dB). */
const SAME_ERROR_DB = 0.1;

/** How much a cell counts that is known to so many dB: what noise hides counts for less. */
const shareOf = ({ errorDb }: Pick<GainCell, "errorDb">): number => Math.min(1, SAME_ERROR_DB / errorDb) ** 2;

/** Errors of cells, each as it counts where a model is judged, dB: a model that leaves as much leaves noise. */
export function errorThatCounts(cells: readonly GainCell[]): number {
  const all = cells.reduce((sum, cell) => sum + shareOf(cell), 0);
  return Math.sqrt(cells.reduce((sum, cell) => sum + shareOf(cell) * cell.errorDb ** 2, 0) / Math.max(1e-9, all));
}

/** Errors of cells, dB (effective value): no model has to come closer. */
export const errorOfCells = (cells: readonly GainCell[]): number => effective(cells.map(({ errorDb }) => errorDb));
