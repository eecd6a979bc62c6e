import { dbFromPower } from "../audio/decibels";
import { pow } from "../audio/exact-math";
import { PIECE_FRAMES, type Sound } from "../audio/sound";
import { type Exception, runsWhere, type StepRun, type Survey, secondsOf, usual } from "./survey";

/** The residual step by step with the fit applied to Here, over all of the region. */
export type Timeline = {
  residual: Float64Array;
  yonder: Float64Array;
  /** The largest residual of a step, what Yonder is there, and where that is. */
  peak: Float64Array;
  peakYonder: Float64Array;
  peakFrame: Float64Array;
  /** Residual and Yonder a hundredth of a step at a time. */
  fineResidual: Float64Array;
  fineYonder: Float64Array;
};

export function timelineOf(
  explained: Sound,
  yonder: Sound,
  { region, stepFrames, fine: { frames: fineFrames } }: Survey,
  pause: (share: number) => void,
): Timeline {
  const frames = region.endFrame - region.startFrame;
  const count = Math.ceil(frames / stepFrames);
  const [residual, own, peak, peakYonder, peakFrame] = Array.from({ length: 5 }, () => new Float64Array(count));
  const [fineResidual, fineYonder] = [0, 1].map(() => new Float64Array(Math.ceil(frames / fineFrames)));
  const piece = stepFrames * Math.max(1, Math.floor(PIECE_FRAMES / stepFrames));
  for (let at = 0; at < frames; at += piece) {
    pause(at / frames);
    const length = Math.min(piece, frames - at);
    const [x, y] = [explained, yonder].map((sound) => sound.read(region.startFrame + at, length));
    for (let c = 0; c < Math.max(x.length, y.length); c++) {
      const [a, b] = [x[c] ?? x[0], y[c] ?? y[0]];
      for (let n = 0; n < length; n++) {
        const step = Math.floor((at + n) / stepFrames);
        const rest = b[n] - a[n];
        const fine = Math.floor((at + n) / fineFrames);
        residual[step] += rest * rest;
        own[step] += b[n] * b[n];
        fineResidual[fine] += rest * rest;
        fineYonder[fine] += b[n] * b[n];
        if (Math.abs(rest) > peak[step]) {
          peak[step] = Math.abs(rest);
          peakYonder[step] = Math.abs(b[n]);
          peakFrame[step] = region.startFrame + at + n;
        }
      }
    }
  }
  return { residual, yonder: own, peak, peakYonder, peakFrame, fineResidual, fineYonder };
}

/** A stretch is an exception where the model leaves more than this factor (23 dB) of what it leaves at most steps, by share, and 13 dB by energy… */
const SHARE_FACTOR = 200;
const ENERGY_FACTOR = 20;
/** … and more than this share (−55 dB) and energy (16-bit rounding with dither). */
const LEAST_SHARE = 3e-6;
const LEAST_POWER = 4e-10;
/** Steps so far under the loudest (−70 dB) say nothing of a share. */
const SOUNDING = 1e-7;
const LEAST_STEPS = 3;
/** One or two steps alone are lost or other sound: 45 dB over most steps, −23 dB re Yonder, and 20 dB over the least that is reported. What a model is a little off at is not. */
const LOST_FACTOR = 3e4;
const LOST_SHARE = 5e-3;
const LOST_POWER = 100;
const MOST_SHARE = 0.6;
/** One sample stands out as a click: its energy over that of the steps around, and over that of its own step. */
const CLICK_OVER_AROUND = 3000;
const CLICK_OF_STEP = 0.15;
const LEAST_CLICK = 3e-3;
/** And over Yonder itself there: a peak that a curve was never fitted at leaves a little of it. */
const CLICK_OF_SAMPLE = 0.3;
/** At the ends of what both cover a filter does not know what came before. */
const EDGE_SECONDS = 0.02;

const median = (values: readonly number[]) => values.toSorted((a, b) => a - b)[values.length >> 1] ?? 0;

/** How far from either end of the region a model does not know: taps of a filter that lie beyond it meet silence that they were not fitted on. */
export type UnknownEnds = { startFrames: number; endFrames: number };

/** Whether a step lies outside of exceptions. */
const outsideOf =
  (exceptions: readonly Exception[], survey: Survey) =>
  (step: number): boolean => {
    const { startSeconds, endSeconds } = secondsOf(survey, { first: step, last: step });
    return exceptions.every((e) => e.endSeconds <= startSeconds || endSeconds <= e.startSeconds);
  };

/** Where a model that holds elsewhere does not hold; what it usually leaves is taken from what lies outside of `known`. */
export function exceptionsIn(
  timeline: Timeline,
  survey: Survey,
  { startFrames, endFrames }: UnknownEnds = { startFrames: 0, endFrames: 0 },
  known: readonly Exception[] = [],
): Exception[] {
  const { residual, yonder, peak, peakYonder, peakFrame } = timeline;
  const count = residual.length;
  const loudest = yonder.reduce((most, e) => Math.max(most, e), 0);
  const isSounding = (t: number) => yonder[t] > SOUNDING * loudest;
  const isOpen = outsideOf(known, survey);
  const steps = Array.from(residual, (_, t) => t).filter((t) => isSounding(t) && isOpen(t));
  const share = usual(steps.map((t) => residual[t] / yonder[t]));
  const energy = usual(steps.map((t) => residual[t]));
  const power = LEAST_POWER * survey.stepFrames;
  const clicks = new Set<number>();
  const found: Exception[] = [];
  for (let t = 0; t < count; t++) {
    const around = [t - 2, t - 1, t + 1, t + 2]
      .filter((i) => i >= 0 && i < count)
      .map((i) => residual[i] / survey.stepFrames);
    const own = peak[t] * peak[t];
    const fromEdge = Math.min(peakFrame[t] - survey.region.startFrame, survey.region.endFrame - peakFrame[t]);
    if (fromEdge < EDGE_SECONDS * survey.sampleRateHz) continue;
    if (
      peak[t] < LEAST_CLICK ||
      peak[t] < CLICK_OF_SAMPLE * peakYonder[t] ||
      own < CLICK_OVER_AROUND * median(around) ||
      own < CLICK_OF_STEP * residual[t]
    )
      continue;
    clicks.add(t);
    const seconds = peakFrame[t] / survey.sampleRateHz;
    found.push({
      startSeconds: seconds,
      endSeconds: seconds,
      what: "click",
      residualDb: yonder[t] > 0 ? dbFromPower(residual[t] / yonder[t]) : null,
    });
  }
  // Where Yonder falls silent there is no share, but a residual.
  const [firstKnown, lastKnown] = [startFrames / survey.stepFrames, count - 1 - endFrames / survey.stepFrames];
  const isOff = (t: number) =>
    !clicks.has(t) &&
    t >= firstKnown &&
    t <= lastKnown &&
    residual[t] > Math.max(ENERGY_FACTOR * energy, power) &&
    residual[t] > Math.max(SHARE_FACTOR * share, LEAST_SHARE) * yonder[t];
  const isLost = (t: number) =>
    isOff(t) &&
    residual[t] > Math.max(LOST_FACTOR * energy, LOST_SHARE * yonder[t]) &&
    residual[t] > LOST_POWER * power;
  const isOne = ({ first, last }: StepRun) =>
    last - first + 1 >= LEAST_STEPS || (isLost(first) && (first === last || isLost(last)));
  const runs = runsWhere(count, isOff, 1).filter(isOne);
  if (runs.reduce((total, r) => total + r.last - r.first + 1, 0) > MOST_SHARE * count) return found;
  for (const run of runs) found.push(foundIn(run, timeline, survey, energy));
  return found.toSorted((a, b) => a.startSeconds - b.startSeconds);
}

/** A run of steps that a model does not hold in, from where to where its residual stands out. */
function foundIn(run: StepRun, timeline: Timeline, survey: Survey, usual: number): Exception {
  const { fineResidual, fineYonder } = timeline;
  const { stepFrames, region, sampleRateHz, fine } = survey;
  const { frames: fineFrames } = fine;
  const at = (step: number) => Math.max(0, Math.floor((step * stepFrames) / fineFrames));
  const [from, end] = [at(run.first), Math.min(fineResidual.length, at(run.last + 1))];
  const sum = (values: Float64Array, first: number, last: number) => {
    let total = 0;
    for (let i = first; i <= last; i++) total += values[i];
    return total;
  };
  const mean = sum(fineResidual, from, end - 1) / (end - from);
  const least = Math.max(ENDS_OF_MEAN * mean, (ENDS_OF_USUAL * usual * fineFrames) / stepFrames);
  let [first, last] = [from, end - 1];
  while (first < last && fineResidual[first] < least) first++;
  while (first < last && fineResidual[last] < least) last--;
  const [rest, own] = [sum(fineResidual, first, last), sum(fineYonder, first, last)];
  const inner = last - first > 2 ? [first + 1, last - 1] : [first, last];
  const isMuted = sum(fineYonder, inner[0], inner[1]) < MUTED * sum(fineResidual, inner[0], inner[1]);
  return {
    startSeconds: (region.startFrame + first * fineFrames) / sampleRateHz,
    endSeconds: Math.min(region.endFrame, region.startFrame + (last + 1) * fineFrames) / sampleRateHz,
    what: isMuted ? "muted" : "different",
    residualDb: own > 0 ? dbFromPower(rest / own) : null,
  };
}
/** Its ends are where a millisecond leaves this of what one leaves in the run, and more than this factor of what one leaves elsewhere. */
const ENDS_OF_MEAN = 0.1;
const ENDS_OF_USUAL = 4;
/** Yonder under its residual by this (−40 dB): it is silent there. */
const MUTED = 1e-4;

/** Stretches taken for a bypass that the model explains as well are none. */
export function confirmed(
  exceptions: readonly Exception[],
  { residual, yonder }: Timeline,
  survey: Survey,
): Exception[] {
  const { region, sampleRateHz, stepFrames } = survey;
  const isOpen = outsideOf(exceptions, survey);
  const sounding = Array.from(yonder, (_, t) => t).filter((t) => yonder[t] > 0 && isOpen(t));
  const usualShare = median(sounding.map((t) => residual[t] / yonder[t]));
  return exceptions.filter(({ what, startSeconds, endSeconds, residualDb }) => {
    if (what !== "bypassed" || residualDb === null) return true;
    const stepAt = (seconds: number) => Math.round((seconds * sampleRateHz - region.startFrame) / stepFrames);
    const sum = (values: Float64Array) =>
      values.slice(stepAt(startSeconds), stepAt(endSeconds)).reduce((total, v) => total + v, 0);
    const left = sum(residual);
    const own = sum(yonder);
    return (
      left > BYPASS_SHARE * own &&
      left > BYPASS_CLEARLY * pow(10, residualDb / 10) * own &&
      // What does not explain the rest either cannot tell a bypass from a processor that had nothing to do.
      left > BYPASS_CLEARLY * usualShare * own
    );
  });
}
/** Quiet passages that a compressor or a clip lets through are copies, too: the model has to say something else there (−35 dB). */
const BYPASS_SHARE = 3e-4;
/** The model leaves more than this factor (13 dB) of what a plain copy leaves. */
const BYPASS_CLEARLY = 20;
