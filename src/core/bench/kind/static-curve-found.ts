import { hypot } from "../../audio/exact-math";
import type { ChannelReading } from "../read/read-channel";
import type { StaticCurve } from "../read/static-curve";
import type { Reason } from "../reasons";
import type { GainModel } from "./gain-model";

/** A model predicts that leaves no more than this share of what gain spans; its curve no more than that or this (dB), or so many errors. */
export const PREDICTS_SHARE = 0.03;
const CURVE_DB = 0.1;
const CURVE_ERRORS = 2.5;
/** Threshold and ratio are told that are known to this (dB, share of the ratio, or dB out a dB in; one standard deviation). */
const THRESHOLD_KNOWN_DB = 0.5;
const RATIO_KNOWN_SHARE = 0.05;
const SLOPE_KNOWN = 0.01;
/** Detectors differ in form from the model: no threshold is known closer (dB, one standard deviation, by trial). */
const FORM_DB = 0.05;
/** And no ratio closer than to this share of it (one standard deviation, by trial: 3.95 of 4 behind a look-ahead). */
const FORM_RATIO_SHARE = 0.01;
/** Steady levels that a curve is reported of at the least, and how many of the highest tell its slope. */
export const LEAST_POINTS = 4;
const TOP_POINTS = 4;
/** These lie so far above where the curve bends; and quiet ones so far under it (dB). */
const CLEAR_DB = 1;
const QUIET_DB = 6;
/** A ratio is reported up to this. */
const MOST_RATIO = 100;
/** An expander's slope is judged by so many levels, this far above its floor (dB). */
const LEAST_ON_SLOPE = 2;

/** The static curve as points alone: gains of steady waves, each as it was read. */
export function pointsOf({ courses }: Pick<ChannelReading, "courses">): StaticCurve | null {
  const { cells = [], first = null } = courses?.[1] ?? {};
  const points = [...(first ? [first] : []), ...cells].map(({ levelDbfs, gainDb }) => ({
    inDbfs: levelDbfs,
    outDbfs: levelDbfs + gainDb,
  }));
  if (points.length < LEAST_POINTS) return null;
  return {
    points,
    gainDb: points[0].outDbfs - points[0].inDbfs,
    thresholdDbfs: null,
    ratio: null,
    kneeDb: null,
    misfitDb: null,
  };
}

/**
 * Threshold, ratio and knee of a model that predicts, where they are known and the steady levels follow them; else the points alone, and why.
 * `noiseDb` is the error of what was read, `countsDb` the same as it counts where models are judged (dB, effective values).
 */
export function staticCurveFound(
  model: GainModel,
  points: StaticCurve | null,
  noiseDb: number,
  countsDb: number,
): { staticCurve: StaticCurve | null; staticCurveWithheld: Reason | null } {
  const withheld = (staticCurveWithheld: Reason) => ({ staticCurve: points, staticCurveWithheld });
  if (model.detector === "parallel") return withheld("parallel");
  // A threshold and a ratio are claimed of the whole curve: no more may be left than noise leaves.
  if (model.heldOutDb > Math.max(CURVE_DB, PREDICTS_SHARE * model.spanDb, CURVE_ERRORS * countsDb))
    return withheld("noModel");
  if (!isKnown(model, points, 1)) {
    const isNoise = noiseDb > model.fittedDb && isKnown(model, points, model.fittedDb / noiseDb);
    return withheld(isNoise ? "noise" : "undetermined");
  }
  const staticCurve: StaticCurve = {
    thresholdDbfs: model.thresholdDbfs,
    ratio: model.ratio,
    kneeDb: isKneeKnown(model) ? model.kneeDb : null,
    gainDb: model.gainDb,
    misfitDb: model.heldOutDb,
    points: points?.points ?? [],
    errors: {
      thresholdDb: hypot(model.errors.thresholdDb, FORM_DB),
      ratio: hypot(model.errors.ratioShare, FORM_RATIO_SHARE) * model.ratio,
      kneeDb: model.errors.kneeDb,
    },
  };
  if (model.curve === "expander") return { staticCurve, staticCurveWithheld: null };
  const top = topLine(staticCurve, model.kneeDb);
  if (top === null || isSlope(top.slope, 1 / model.ratio)) return { staticCurve, staticCurveWithheld: null };
  if (top.spread > SLOPE_KNOWN) return withheld("noModel");
  // A detector that hears another wave than the one that was sent rounds the model's curve; the levels themselves are straight.
  const ratio = Math.min(MOST_RATIO, 1 / Math.max(1 / MOST_RATIO, top.slope));
  const gainDb = quietGain(staticCurve) ?? model.gainDb;
  const thresholdDbfs = (top.outDbfs - top.slope * top.inDbfs - gainDb) / (1 - top.slope);
  // What slopes between neighbours differ by is how well the line's is known; the threshold turns with it, so far below the levels.
  const slopeError = Math.max(top.spread / 2, model.errors.slope);
  const errors = {
    thresholdDb: hypot(
      FORM_DB,
      hypot(model.errors.thresholdDb, ((top.inDbfs - thresholdDbfs) * slopeError) / (1 - top.slope)),
    ),
    ratio: slopeError * ratio * ratio,
    kneeDb: model.errors.kneeDb,
  };
  return {
    staticCurve: { ...staticCurve, thresholdDbfs, ratio, gainDb, kneeDb: null, errors },
    staticCurveWithheld: null,
  };
}

/** Whether threshold and ratio are known well enough to be reported, were their errors so much of what they are. */
function isKnown(model: GainModel, points: StaticCurve | null, share: number): boolean {
  const { curve, errors } = model;
  if (curve === "expander" && levelsOnSlope(model, points) < LEAST_ON_SLOPE) return false;
  return (
    share * errors.thresholdDb < THRESHOLD_KNOWN_DB &&
    (share * errors.ratioShare < RATIO_KNOWN_SHARE || (curve === "downward" && share * errors.slope < SLOPE_KNOWN))
  );
}

/** How many steady levels lie between an expander's floor and its threshold: with fewer than two any higher ratio would do as well. */
const levelsOnSlope = ({ thresholdDbfs, ratio, rangeDb }: GainModel, points: StaticCurve | null): number =>
  points?.points.filter(
    ({ inDbfs }) => inDbfs < thresholdDbfs - CURVE_DB && (ratio - 1) * (thresholdDbfs - inDbfs) < rangeDb - CLEAR_DB,
  ).length ?? 0;

/** Between levels 3 dB apart a knee of less does not show. */
const LEAST_KNEE_DB = 3;
const KNEE_KNOWN_DB = 1;
const isKneeKnown = ({ kneeDb, errors }: GainModel): boolean => kneeDb > LEAST_KNEE_DB && errors.kneeDb < KNEE_KNOWN_DB;

/** Whether two slopes (dB out a dB in) are of ratios that are reported alike. */
const isSlope = (slope: number, other: number): boolean =>
  Math.abs(slope - other) <= Math.max(SLOPE_KNOWN, RATIO_KNOWN_SHARE * other);

/** The line through the highest steady levels, all above where the curve bends: its slope, and how far slopes between neighbours differ. */
function topLine({ points, thresholdDbfs }: StaticCurve, kneeDb: number) {
  const bend = (thresholdDbfs ?? 0) + kneeDb / 2 + CLEAR_DB;
  const top = points.filter(({ inDbfs }) => inDbfs > bend).slice(-TOP_POINTS);
  const last = top.at(-1);
  if (top.length < TOP_POINTS || !last) return null;
  const slopes = top.slice(1).map((p, i) => (p.outDbfs - top[i].outDbfs) / (p.inDbfs - top[i].inDbfs));
  const slope = (last.outDbfs - top[0].outDbfs) / (last.inDbfs - top[0].inDbfs);
  return { ...last, slope, spread: Math.max(...slopes) - Math.min(...slopes) };
}

/** The usual gain of levels well under the threshold, dB. */
function quietGain({ points, thresholdDbfs }: StaticCurve): number | null {
  const quiet = points
    .filter(({ inDbfs }) => inDbfs < (thresholdDbfs ?? 0) - QUIET_DB)
    .map(({ inDbfs, outDbfs }) => outDbfs - inDbfs)
    .toSorted((a, b) => a - b);
  return quiet[quiet.length >> 1] ?? null;
}
