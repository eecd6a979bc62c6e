import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import type { FrameRange, Sound } from "../audio/sound";

/** A survey's steps last so long. */
export const STEP_SECONDS = 0.1;

/** Sums over one step, by channel: Here, Yonder, their product, and their means. */
export type Survey = {
  sampleRateHz: number;
  region: FrameRange;
  stepFrames: number;
  channels: {
    here: Float64Array;
    yonder: Float64Array;
    product: Float64Array;
    hereMean: Float64Array;
    yonderMean: Float64Array;
  }[];
  /** Energies of all channels a hundredth of a step at a time. */
  fine: { frames: number; here: Float64Array; yonder: Float64Array };
  /** The largest difference of any sample. */
  largestDifference: number;
};

/** Parts of a step that ends of exceptions are found to: 1 ms. */
export const FINE_PARTS = 100;

export const identitySchema = z.object({
  /** Every sample of what both cover was compared. */
  is: z.enum(["same", "same to 24 bits", "same to 16 bits", "different"]),
  /** The share of the region that both cover. */
  judgedShare: z.number(),
});
export type Identity = z.infer<typeof identitySchema>;

export const exceptionSchema = z.object({
  startSeconds: z.number(),
  endSeconds: z.number(),
  what: z.enum(["muted", "only Yonder", "bypassed", "click", "different", "missing in Here", "missing in Yonder"]),
  /** Residual there re Yonder there, after all steps; null where one of them is silent. */
  residualDb: z.number().nullable(),
});
export type Exception = z.infer<typeof exceptionSchema>;

/** Shorter stretches are judged by how long they last, and by stricter rules: they are less than three of a survey's steps. */
export const SHORT_SECONDS = 0.25;

/** Reads all of a region of two sounds aligned, each sample once. */
export function surveyOf(
  here: Sound,
  yonder: Sound,
  region: FrameRange,
  pause: (share: number) => void = () => {},
): Survey {
  const rateHz = here.sampleRateHz;
  const stepFrames = Math.max(1, Math.round(STEP_SECONDS * rateHz));
  const frames = region.endFrame - region.startFrame;
  const count = Math.ceil(frames / stepFrames);
  const channels = Array.from({ length: Math.max(here.channelCount, yonder.channelCount) }, () => ({
    here: new Float64Array(count),
    yonder: new Float64Array(count),
    product: new Float64Array(count),
    hereMean: new Float64Array(count),
    yonderMean: new Float64Array(count),
  }));
  const fineFrames = Math.max(1, Math.ceil(stepFrames / FINE_PARTS));
  const [fineHere, fineYonder] = [0, 1].map(() => new Float64Array(Math.ceil(frames / fineFrames)));
  let largest = 0;
  const piece = stepFrames * Math.max(1, Math.floor(rateHz / stepFrames));
  for (let at = 0; at < frames; at += piece) {
    pause(at / frames);
    const length = Math.min(piece, frames - at);
    const [x, y] = [here, yonder].map((sound) => sound.read(region.startFrame + at, length));
    for (const [c, sums] of channels.entries()) {
      const [a, b] = [x[c] ?? x[0], y[c] ?? y[0]];
      for (let from = 0, step = at / stepFrames; from < length; from += stepFrames, step++) {
        const end = Math.min(length, from + stepFrames);
        let [aa, bb, ab, sumA, sumB] = [0, 0, 0, 0, 0];
        let fine = Math.floor((at + from) / fineFrames);
        let until = (fine + 1) * fineFrames - at;
        let [beforeA, beforeB] = [0, 0];
        for (let n = from; n < end; n++) {
          if (n === until) {
            fineHere[fine] += aa - beforeA;
            fineYonder[fine] += bb - beforeB;
            beforeA = aa;
            beforeB = bb;
            fine++;
            until += fineFrames;
          }
          const u = a[n];
          const v = b[n];
          aa += u * u;
          bb += v * v;
          ab += u * v;
          sumA += u;
          sumB += v;
          const off = Math.abs(v - u);
          if (off > largest) largest = off;
        }
        fineHere[fine] += aa - beforeA;
        fineYonder[fine] += bb - beforeB;
        sums.here[step] = aa;
        sums.yonder[step] = bb;
        sums.product[step] = ab;
        sums.hereMean[step] = sumA / (end - from);
        sums.yonderMean[step] = sumB / (end - from);
      }
    }
  }
  const fine = { frames: fineFrames, here: fineHere, yonder: fineYonder };
  return { sampleRateHz: rateHz, region, stepFrames, channels, fine, largestDifference: largest };
}

const LSB_24 = 2 ** -23;
const LSB_16 = 2 ** -15;

export function identityOf({ largestDifference }: Survey, judgedShare: number): Identity {
  // Half a step more than one, for the rounding of 32-bit floats.
  const is =
    largestDifference === 0
      ? "same"
      : largestDifference <= 1.001 * LSB_24
        ? "same to 24 bits"
        : largestDifference <= 1.001 * LSB_16
          ? "same to 16 bits"
          : "different";
  return { is, judgedShare };
}

const sum = (values: Float64Array) => values.reduce((total, v) => total + v, 0);

/** Energy of all channels step by step. */
export const stepEnergies = (survey: Survey, of: "here" | "yonder"): Float64Array =>
  survey.channels.reduce(
    (total, own) => total.map((v, t) => v + own[of][t]),
    new Float64Array(survey.channels[0].here.length),
  );

/** Quietest part of the steps that an offset is read in: there a curve's own offset is small. */
const QUIET_SHARE = 0.25;
/** An offset under this is none (−100 dBFS), and one has to be so many times its own scatter. */
const LEAST_OFFSET = 1e-5;
const OVER_SCATTER = 6;
/** Quiet steps this far under loud ones (−20 dB) tell an offset from what follows the sound; else it has to be this steady from step to step. */
const FAR_UNDER = 0.01;
const MOST_SCATTER = 0.3;
/** Of the quiet steps, the furthest tenth may be off by anything. */
const KEPT_SHARE = 0.9;

/**
 * DC that Yonder has over Here at the gain of each step, by channel, in full scale: the mean of its quiet steps, where it is the same in loud ones and more than those scatter;
 * else 0. What the sound itself has at the lowest frequencies is in both and cancels.
 */
export function addedOffsets(survey: Survey): number[] {
  return survey.channels.map(({ here, yonder, product, hereMean, yonderMean }) => {
    const means = yonderMean.map((v, t) => (here[t] > 0 ? v - (product[t] / here[t]) * hereMean[t] : v));
    // By Here: what was added makes Yonder louder where it happens to add up. The last step may be cut short.
    const order = Array.from(yonder, (_, t) => t)
      .filter((t) => t < yonder.length - 1)
      .sort((a, b) => here[a] - here[b]);
    const quiet = order.slice(0, Math.max(3, Math.ceil(QUIET_SHARE * order.length)));
    if (quiet.length < 3) return 0;
    const level = (steps: readonly number[]) => median(steps.map((t) => means[t]));
    const [calm, all] = [level(quiet), level(order)];
    const error = (1.4826 * 1.25 * median(order.map((t) => Math.abs(means[t] - all)))) / Math.sqrt(order.length);
    if (Math.abs(calm) < Math.max(LEAST_OFFSET, OVER_SCATTER * error)) return 0;
    // A low tone leaves means that take turns: most of them may be alike, and the others are far off.
    const off = quiet.map((t) => (means[t] - calm) ** 2).toSorted((a, b) => a - b);
    const kept = off.slice(0, Math.ceil(KEPT_SHARE * off.length));
    if (kept.reduce((total, v) => total + v, 0) > kept.length * calm * calm) return 0;
    const own = all - median(order.map((t) => yonderMean[t]));
    // Here's own offset, which a high-pass took away, was not added by Yonder.
    if (Math.abs(median(order.map((t) => yonderMean[t]))) < 0.5 * Math.abs(own)) return 0;
    const scatter = 1.4826 * median(order.map((t) => Math.abs(means[t] - all)));
    const loud = order.slice(-quiet.length);
    const energyOf = (steps: readonly number[]) => steps.reduce((total, t) => total + yonder[t], 0);
    const isFarUnder = energyOf(quiet) < FAR_UNDER * energyOf(loud);
    // What a limiter makes of a bass that leans to one side follows the sound; an offset stays as it is.
    if (!isFarUnder && scatter > MOST_SCATTER * Math.abs(calm)) return 0;
    return Math.abs(all - calm) < 0.3 * Math.abs(calm) ? calm : 0;
  });
}

/** One is silent where it lies this far under what it has elsewhere for the same of the other (−60 dB)… */
const SILENT = 1e-6;
/** … and the other sounds there as loud as the quietest of what both have: what a gate closes on is quieter. */
const QUIETEST = 0.3;
/** The other, in a step that counts (−40 dB re that). */
const SOUNDING = 1e-4;
/** Yonder is Here itself at one gain where it differs by less than this (−55 dB), and elsewhere by more than this (−40 dB). */
const BYPASSED = 3e-6;
const PROCESSED = 1e-4;
/** The least that is reported, in steps. */
const LEAST_STEPS = 3;
const BYPASSED_STEPS = 5;
/** More than this of all steps is no exception. */
const MOST_SHARE = 0.5;

/** What is usual: what four in ten steps hold, for up to half may be exceptions. */
export const usual = (values: readonly number[]) =>
  values.toSorted((a, b) => a - b)[Math.floor(USUAL * values.length)] ?? 0;
const USUAL = 0.39;
const median = (values: readonly number[]) => values.toSorted((a, b) => a - b)[values.length >> 1] ?? 0;

export type StepRun = { first: number; last: number };

/** Runs of steps of a kind, gaps of one step filled. */
export function runsWhere(count: number, is: (step: number) => boolean, least = LEAST_STEPS): StepRun[] {
  const runs: StepRun[] = [];
  for (let t = 0; t < count; t++) {
    if (!is(t)) continue;
    const before = runs[runs.length - 1];
    if (before && t - before.last <= 2) before.last = t;
    else runs.push({ first: t, last: t });
  }
  return runs.filter(({ first, last }) => last - first + 1 >= least);
}

/** Seconds of a run of steps, from the start of the sounds on. */
export function secondsOf({ sampleRateHz, region, stepFrames }: Survey, { first, last }: StepRun) {
  return {
    startSeconds: (region.startFrame + first * stepFrames) / sampleRateHz,
    endSeconds: Math.min(region.endFrame, region.startFrame + (last + 1) * stepFrames) / sampleRateHz,
  };
}

/** Stretches where one side is silent while the other sounds, or where Yonder is Here itself although elsewhere it is not. */
export function plainExceptions(survey: Survey): Exception[] {
  const [here, yonder] = [stepEnergies(survey, "here"), stepEnergies(survey, "yonder")];
  const count = here.length;
  const ratio = median(Array.from(here, (e, t) => (e > 0 ? yonder[t] / e : 0)).filter((r) => r > 0));
  const isUnder = (e: number, other: number) => e < SILENT * other;
  const isShared = (t: number) => !isUnder(yonder[t], ratio * here[t]) && !isUnder(ratio * here[t], yonder[t]);
  const quietOf = (energies: Float64Array) => {
    const sorted = [...energies].filter((e, t) => e > 0 && isShared(t)).toSorted((a, b) => a - b);
    return sorted[Math.floor(QUIETEST * (sorted.length - 1))] ?? 0;
  };
  const [quietHere, quietYonder] = [quietOf(here), quietOf(yonder)];
  const isMuted = (t: number) => here[t] > SOUNDING * quietHere && isUnder(yonder[t], ratio * here[t]);
  const isAlone = (t: number) => yonder[t] > SOUNDING * quietYonder && isUnder(ratio * here[t], yonder[t]);
  const isAsLoud = (energies: Float64Array, quiet: number) => (run: StepRun) =>
    sum(energies.slice(run.first, run.last + 1)) > quiet * (run.last - run.first + 1);
  const rest = Array.from(here, (_, t) => {
    const product = survey.channels.reduce((total, own) => total + own.product[t], 0);
    return here[t] > 0 && yonder[t] > 0 ? Math.max(0, 1 - (product * product) / (here[t] * yonder[t])) : Number.NaN;
  });
  const known = rest.filter((r) => !Number.isNaN(r));
  const isProcessed = median(known) > PROCESSED;
  const isBypassed = (t: number) => isProcessed && rest[t] < BYPASSED && here[t] > 1e-2 * quietHere;
  const found: Exception[] = [];
  for (const [what, is, holds] of [
    ["muted", isMuted, isAsLoud(here, quietHere)],
    ["only Yonder", isAlone, isAsLoud(yonder, quietYonder)],
    ["bypassed", isBypassed, () => true],
  ] as const) {
    const runs = runsWhere(count, is, what === "bypassed" ? BYPASSED_STEPS : LEAST_STEPS).filter(holds);
    const steps = runs.reduce((total, r) => total + r.last - r.first + 1, 0);
    if (steps > MOST_SHARE * count) continue;
    for (const run of runs) {
      const residualDb =
        what === "bypassed" ? dbFromPower(Math.max(1e-30, median(rest.slice(run.first, run.last + 1)))) : null;
      found.push({
        ...(what === "muted" ? mutedSeconds(survey, run, ratio) : secondsOf(survey, run)),
        what,
        residualDb,
      });
    }
  }
  for (const lost of lossesIn(survey, ratio, quietHere))
    if (found.every((e) => lost.endSeconds <= e.startSeconds || e.endSeconds <= lost.startSeconds)) found.push(lost);
  const taken = (t: number) =>
    found.some(({ startSeconds, endSeconds }) => {
      const { startSeconds: at } = secondsOf(survey, { first: t, last: t });
      return startSeconds <= at && at < endSeconds;
    });
  return [...found, ...differentFrom(survey, rest, [here, yonder], taken)].toSorted(
    (a, b) => a.startSeconds - b.startSeconds,
  );
}

const isLost =
  ({ fine: { here, yonder } }: Survey, ratio: number) =>
  (i: number) =>
    yonder[i] < SILENT * ratio * here[i];

/** Seconds of a run of muted steps, with what is muted of those before and after. */
function mutedSeconds(survey: Survey, { first, last }: StepRun, ratio: number) {
  const { fine, region, sampleRateHz, stepFrames } = survey;
  const isMuted = isLost(survey, ratio);
  let from = Math.ceil((first * stepFrames) / fine.frames);
  let end = Math.min(fine.here.length, Math.floor(((last + 1) * stepFrames) / fine.frames));
  for (let left = FINE_PARTS; left > 0 && from > 0 && isMuted(from - 1); left--) from--;
  for (let left = FINE_PARTS; left > 0 && end < fine.here.length && isMuted(end); left--) end++;
  return {
    startSeconds: (region.startFrame + from * fine.frames) / sampleRateHz,
    endSeconds: Math.min(region.endFrame, region.startFrame + end * fine.frames) / sampleRateHz,
  };
}

/** What is lost lasts for so many milliseconds at the least; of so many on either side Yonder has at least this of Here (−20 dB): a gate is shut before and opens late. */
const LEAST_LOST = 3;
const BESIDE_LOST = 5;
const SHARED = 0.01;

/** Stretches under the shortest mute in which Yonder falls silent at once and comes back at once, while Here sounds. */
function lossesIn(survey: Survey, ratio: number, quietHere: number): Exception[] {
  const { fine, region, sampleRateHz, stepFrames } = survey;
  const { frames, here, yonder } = fine;
  const most = (LEAST_STEPS * stepFrames) / frames;
  const quiet = (quietHere * frames) / stepFrames;
  const isShared = (from: number, end: number) =>
    from >= 0 && end <= here.length && sum(yonder.subarray(from, end)) > SHARED * ratio * sum(here.subarray(from, end));
  return runsWhere(here.length, isLost(survey, ratio), LEAST_LOST)
    .filter(
      ({ first, last }) =>
        last - first + 1 < most &&
        median([...here.subarray(first, last + 1)]) > quiet &&
        isShared(first - BESIDE_LOST, first) &&
        isShared(last + 1, last + 1 + BESIDE_LOST),
    )
    .map(({ first, last }) => ({
      startSeconds: (region.startFrame + first * frames) / sampleRateHz,
      endSeconds: (region.startFrame + (last + 1) * frames) / sampleRateHz,
      what: "muted" as const,
      residualDb: null,
    }));
}

/** A copy differs from its step's own gain by less than this at most steps (−55 dB); where it differs, by so many times as much, in share and in energy. */
const COPIED = 3e-6;
const DIFFERS_BY = { share: 200, energy: 20 };
const MOST_DIFFERENT_RUNS = 3;
/** A run as loud as the loudest quarter of the rest is what a limiter makes of loud passages: a chain explains that. */
const NOT_LOUDER = 0.75;
/** But what holds so little of Here (−5 dB left) is no limiter's work. */
const ANOTHER = 0.3;

/** Stretches in which Yonder is another sound, where it is a copy of Here everywhere else. */
function differentFrom(
  survey: Survey,
  rest: readonly number[],
  [here, yonder]: readonly [Float64Array, Float64Array],
  isTaken: (t: number) => boolean,
): Exception[] {
  const open = Array.from(rest, (_, t) => t).filter((t) => !Number.isNaN(rest[t]) && !isTaken(t));
  const share = usual(open.map((t) => rest[t]));
  if (open.length === 0 || share > COPIED) return [];
  const energy = usual(open.map((t) => rest[t] * yonder[t]));
  const isOff = (t: number) =>
    !isTaken(t) &&
    rest[t] > Math.max(PROCESSED, DIFFERS_BY.share * share) &&
    rest[t] * yonder[t] > Math.max(DIFFERS_BY.energy * energy, 1e-12 * survey.stepFrames);
  const runs = runsWhere(rest.length, isOff, BYPASSED_STEPS);
  const steps = runs.reduce((total, r) => total + r.last - r.first + 1, 0);
  if (runs.length > MOST_DIFFERENT_RUNS || steps > MOST_SHARE * rest.length) return [];
  const isIn = (t: number) => runs.some(({ first, last }) => t >= first && t <= last);
  const elsewhere = open
    .filter((t) => !isIn(t))
    .map((t) => here[t])
    .toSorted((a, b) => a - b);
  const loudElsewhere = elsewhere[Math.floor(NOT_LOUDER * (elsewhere.length - 1))] ?? 0;
  return runs
    .filter(
      ({ first, last }) =>
        median([...here.slice(first, last + 1)]) <= loudElsewhere || median(rest.slice(first, last + 1)) > ANOTHER,
    )
    .map((run) => ({
      ...secondsOf(survey, run),
      what: "different" as const,
      residualDb: dbFromPower(Math.max(1e-30, median(rest.slice(run.first, run.last + 1)))),
    }));
}

export const energyIn = (survey: Survey, of: "here" | "yonder"): number =>
  survey.channels.reduce((total, own) => total + sum(own[of]), 0);
