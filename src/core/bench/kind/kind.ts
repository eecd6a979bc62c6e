import { z } from "zod";
import { hypot, log10, pow } from "../../audio/exact-math";
import { hiddenMemoryDb, rememberedDb } from "../read/memory";
import type { ChannelReading, LevelGain } from "../read/read-channel";
import { smoothed } from "../read/response";
import type { StaticCurve } from "../read/static-curve";
import type { ToneReading } from "../read/tone-reading";
import type { Reason } from "../reasons";
import type { GainCourse } from "./gain-cells";
import { errorOfCells, errorThatCounts, type GainModel, gainModels } from "./gain-model";
import { bandsOf, LEAST_SPAN_DB, type Moved } from "./moving-bands";
import { predictions } from "./predictions";
import { LEAST_POINTS, PREDICTS_SHARE, pointsOf, staticCurveFound } from "./static-curve-found";

export const KINDS = [
  "wire",
  "equalizer",
  "allPass",
  "compressor",
  "limiter",
  "expander",
  "gate",
  "deEsser",
  "dynamicEq",
  "multiband",
  "saturator",
  "clipper",
  "timeVarying",
  "coder",
  "unknown",
] as const;
export type BenchKind = (typeof KINDS)[number];

/** Kinds in which nothing depends on level, kinds that are a curve without memory, and kinds whose gain opens as level rises. */
export const LINEAR_KINDS: readonly BenchKind[] = ["wire", "equalizer", "allPass"];
export const BENDING_KINDS: readonly BenchKind[] = ["saturator", "clipper"];
export const OPENING_KINDS: readonly BenchKind[] = ["expander", "gate"];

export const kindSchema = z.object({
  name: z.enum(KINDS),
  /** 0 to 1: how far what this kind predicts of parts it was not fitted on leads over the next. */
  confidence: z.number(),
  /** What it leaves of those parts: of their energy, or, where a gain is predicted, of the gain. Null where nothing was predicted. */
  residualDb: z.number().nullable(),
  gainErrorDb: z.number().nullable(),
});

export type KindFound = z.infer<typeof kindSchema> & {
  /** The gain model that predicts best, where one does. */
  gainModel: GainModel | null;
  /** Threshold, ratio and knee where they predict what was recorded, else the points alone; why they are not reported. */
  staticCurve: StaticCurve | null;
  staticCurveWithheld: Reason | null;
  timesWithheld: Reason | null;
  /** Whether gain moves at the quiet sweep's own level. */
  actsWhenQuiet: boolean;
};

/** Gain that goes to and fro by more than this while nothing changes is moved by time (dB). */
const WANDERS_DB = 0.15;
/** Two passes of one noise that differ by more than this are not kept as they were (dB), and by more than noise makes of it. */
const CODED_DB = -25;
const OVER_NOISE_DB = 6;
/** A gain moves with level by more than this, or than so many errors (dB). */
const MOVES_DB = 0.15;
const SIGMAS = 5;
/** Harmonics below this are none (percent). */
const LEAST_THD_PERCENT = 0.002;
/** One of them has to be known to this (dB): chance makes others. */
const CLEAR_HARMONIC_DB = 1;
/** A model of gain predicts that leaves no more than this of what was held out: dB, a share of what gain spans, or so many errors. */
const PREDICTS_DB = 0.2;
const PREDICTS_ERRORS = 2;
/** And is still a gain that follows level where it leaves no more than this share: its static curve is not reported then. */
const FOLLOWS_SHARE = 0.15;
const FOLLOWS_DB = 1.5;
/** A limiter's ratio, and a gate's, at least; a gate takes off so much. */
const LIMITER_RATIO = 20;
const GATE_RATIO = 8;
const GATE_RANGE_DB = 20;
/** A model without memory predicts that leaves so much less than a linear one does (dB), or so little. */
const LEADS_DB = 6;
const GOOD_DB = -40;
const HARDLY_LEADS_DB = 3;
/** Gain reduction at the quiet sweep's level that shows in its response (dB). */
const ACTS_DB = 0.1;
/** A flat response is one that stays within this (dB). */
const FLAT_DB = 0.1;

const NOTHING: Pick<
  KindFound,
  "residualDb" | "gainErrorDb" | "gainModel" | "staticCurve" | "staticCurveWithheld" | "timesWithheld" | "actsWhenQuiet"
> = {
  residualDb: null,
  gainErrorDb: null,
  gainModel: null,
  staticCurve: null,
  staticCurveWithheld: null,
  timesWithheld: null,
  actsWhenQuiet: false,
};

/** Whether tones come back where they were sent, go to and fro, or are at another pitch. */
export type Pitch = "steady" | "moving" | "shifted";

/** What kind of processor a channel came through: what few models predict, and which of them leads. */
export function kindOf(reading: ChannelReading, pitch: Pitch): KindFound {
  // Tones that are not where they were sent are read as something else by every model.
  if (pitch === "shifted") return unknownKind("unsteady");
  const isPitchSteady = pitch === "steady";
  const found = decided(reading, isPitchSteady);
  // Where nothing makes noise, what looks like it is what a pitch that moves leaves of tones, or what no model predicts.
  const isNoisy = isPitchSteady && reading.noisePower > 0;
  if (isNoisy) return found;
  const why = (reason: Reason | null): Reason | null =>
    reason === "noise" ? (isPitchSteady ? "noModel" : "unsteady") : reason;
  return { ...found, staticCurveWithheld: why(found.staticCurveWithheld), timesWithheld: why(found.timesWithheld) };
}

/** None of the kinds, and why. */
const unknownKind = (why: Reason): KindFound => ({
  ...NOTHING,
  name: "unknown",
  confidence: 0,
  staticCurveWithheld: why,
  timesWithheld: why,
});

function decided(reading: ChannelReading, isPitchSteady: boolean): KindFound {
  if (reading.isSilent) return unknownKind("notSent");
  if (reading.rings) return unknownKind("rings");
  if (reading.wandersDb > WANDERS_DB) return { ...unknownKind("unsteady"), name: "timeVarying", confidence: 0.9 };
  const moved = movement(reading);
  const distorts = [reading.deep, ...reading.ladder, ...reading.series].some(
    ({ thdPercent, partialErrorsDb }) =>
      (thdPercent ?? 0) > LEAST_THD_PERCENT && partialErrorsDb.some((e) => e !== null && e < CLEAR_HARMONIC_DB),
  );
  const remembered = reading.memory.map((m) => ({ after: m.after, db: rememberedDb(m) }));
  const isRemembered = remembered.some(({ db }) => db !== 0);
  const { passesApartDb, passesNoiseDb } = reading;
  const passesDiffer =
    passesApartDb !== null && passesApartDb > Math.max(CODED_DB, (passesNoiseDb ?? -300) + OVER_NOISE_DB);
  const hardlyMoves = Math.max(...[moved.low, moved.middle, moved.high, moved.steady].map(Math.abs)) < LEAST_SPAN_DB;
  if (passesDiffer && isPitchSteady && (!isRemembered || hardlyMoves))
    return { ...unknownKind("coded"), name: "coder", confidence: 0.8 };
  if (!moved.any && !distorts && !isRemembered) return linearKind(reading, isPitchSteady);
  if ((isRemembered && moved.any) || movesUnbent(reading)) return gainKind(reading, moved, remembered);
  // Something is remembered, and no gain follows level: none of the models does that.
  if (isRemembered) return unknownKind("noModel");
  return memorylessKind(reading, moved, distorts);
}

/** Gain changes by so much (dB) from one tone of the ladder to another without harmonics of more than this (percent): the wave is not bent, gain moves. */
const STEP_MOVES_DB = 0.3;
const UNBENT_PERCENT = 0.2;
/** A curve that is off by `UNBENT_PERCENT` of one tone gives another this much quieter a gain that is off by 0.07 dB at most. */
const STRAIGHT_DB = 12;
/** Where nothing comes back nothing is known of the wave. */
const NOTHING_DBFS = -130;
/** What is beside a tone is no more than so much of the idle noise's power. */
const BESIDE_NOISE = 2;
/** Harmonics of so much would be seen over noise (power re the tone's). */
const SEEN_SHARE = 2e-7;

/**
 * Whether gain changes with level where the wave keeps its form: a curve without memory that leaves a tone unbent is straight up to its peak, and has
 * the same gain for quieter ones below.
 */
function movesUnbent({ ladder, noisePower, input }: ChannelReading): boolean {
  const noise = (HANN_NOISE * noisePower) / input.parts.ladder[0].points;
  const gainErrorDb = ({ outDbfs }: ToneReading) => 20 * log10(1 + SIGMAS * Math.sqrt(noise / pow(10, outDbfs / 10)));
  return ladder.some((tone) => {
    const power = pow(10, tone.outDbfs / 10) / 2;
    const canSee = tone.outDbfs > NOTHING_DBFS && SEEN_HARMONIC * noise < 2 * SEEN_SHARE * power;
    // Harmonics may hide in noise that is there beside the tone alone.
    const rest = power * (tone.thdNoisePercent / 100) ** 2;
    const hasOwnNoise = rest > Math.max(power * (UNBENT_PERCENT / 100) ** 2, BESIDE_NOISE * noisePower);
    const isUnbent = !hasOwnNoise && (tone.thdPercent ?? 0) < UNBENT_PERCENT;
    if (!canSee || !isUnbent) return false;
    return ladder
      .filter(({ levelDbfs }) => levelDbfs < tone.levelDbfs && levelDbfs >= tone.levelDbfs - STRAIGHT_DB)
      .some((below) => {
        const stepDb = Math.abs(tone.outDbfs - tone.levelDbfs - (below.outDbfs - below.levelDbfs));
        return stepDb > STEP_MOVES_DB + gainErrorDb(tone) + gainErrorDb(below);
      });
  });
}
/** White noise of one a sample gives so much over the length in each bin (peak power, Hann window); a harmonic is seen at so many times that. */
const HANN_NOISE = 6;
const SEEN_HARMONIC = 8;

/** By how much gain moves with level, in three places of the band and on steady waves; 0 where that may be noise. */
export function movement({ gains, courses }: ChannelReading): Moved {
  const spanOf = (points: readonly LevelGain[]) => {
    if (points.length < 2) return 0;
    const open = (p: LevelGain) => Math.max(MOVES_DB / 2, SIGMAS * p.errorDb);
    const top = points.reduce((a, b) => (b.gainDb - open(b) > a.gainDb - open(a) ? b : a));
    const bottom = points.reduce((a, b) => (b.gainDb + open(b) < a.gainDb + open(a) ? b : a));
    const span = top.gainDb - bottom.gainDb - open(top) - open(bottom);
    if (span <= 0) return 0;
    // Falling with level is negative.
    return (top.inDbfs > bottom.inDbfs ? 1 : -1) * (top.gainDb - bottom.gainDb);
  };
  const steps = courses?.[1]?.cells ?? [];
  const steady = spanOf(steps.map((cell) => ({ inDbfs: cell.levelDbfs, gainDb: cell.gainDb, errorDb: cell.errorDb })));
  const [low, middle, high] = [gains.low, gains.middle, gains.high].map(spanOf);
  return { any: [low, middle, high, steady].some((db) => db !== 0), low, middle, high, steady };
}

/** A linear model that leaves more than this says nothing of a filter beside a pitch that moves (dB). */
const LEAST_LINEAR_DB = -10;

/** Nothing depends on level: a wire, an equalizer, an all-pass. */
function linearKind(reading: ChannelReading, isPitchSteady: boolean): KindFound {
  const { response, phaseKind } = reading.loud;
  const highest = 0.42 * reading.rate;
  const inBand = response.hertz.map((hz, i) => (hz <= highest && hz >= 20 ? i : -1)).filter((i) => i >= 0);
  // Over a third of an octave, each by its own error.
  const levels = smoothed(inBand.map((i) => response.magnitudeDb[i]));
  const usual = levels.toSorted((a, b) => a - b)[levels.length >> 1] ?? 0;
  const isFlat = levels.every(
    (db, n) => Math.abs(db - usual) <= Math.max(FLAT_DB, SIGMAS * reading.loudErrorDb[inBand[n]]),
  );
  const { linearDb } = predictions(reading, false);
  // Where pitch moves phase is not known: an all-pass would look the same. And a pitch that moves far smears a response like a filter.
  if (!isPitchSteady && (isFlat || linearDb > LEAST_LINEAR_DB))
    return { ...NOTHING, name: "unknown", confidence: 0, residualDb: linearDb, staticCurveWithheld: "unsteady" };
  // A harmonic that is seen, however badly known, is a change.
  if (isFlat && (reading.deep.thdPercent ?? 0) > LEAST_THD_PERCENT)
    return { ...NOTHING, name: "unknown", confidence: 0, residualDb: linearDb, staticCurveWithheld: "noise" };
  const name = !isFlat ? "equalizer" : phaseKind === "all-pass" || phaseKind === "mixed" ? "allPass" : "wire";
  return { ...NOTHING, name, confidence: confidenceOf(linearDb), residualDb: linearDb };
}

/** Confidence of a model by how much of what it was not fitted on it leaves: all at −40 dB, half at −10. */
const confidenceOf = (residualDb: number): number => Math.max(0.3, Math.min(0.99, 0.5 + (-10 - residualDb) / 60));

/** The wave itself is distorted, at once: a saturator, or a clipper. */
function memorylessKind(reading: ChannelReading, moved: Moved, distorts: boolean): KindFound {
  const base: KindFound = {
    ...NOTHING,
    name: "unknown",
    confidence: 0,
    staticCurveWithheld: "memoryless",
    timesWithheld: "memoryless",
    staticCurve: pointsOf(reading),
  };
  const most = Math.max(...[moved.low, moved.middle, moved.high, moved.steady].map(Math.abs));
  // Noise may hide a memory as large as what moves.
  // And a distorted wave has harmonics: where none is seen, what moved is noise, or they are hidden in it.
  if (!distorts || (hiddenMemoryDb(reading.memory) > most / 2 && most > 0))
    return { ...base, staticCurveWithheld: "noise", timesWithheld: "noise" };
  const { linearDb, memorylessDb, isClipping, isOfAllTones } = predictions(reading, true);
  const leads =
    memorylessDb < linearDb - LEADS_DB || (memorylessDb < GOOD_DB && memorylessDb < linearDb - HARDLY_LEADS_DB);
  if (!leads || !isOfAllTones) return base;
  return {
    ...base,
    name: isClipping ? "clipper" : "saturator",
    residualDb: memorylessDb,
    confidence: confidenceOf(Math.min(memorylessDb, memorylessDb - linearDb)),
  };
}

/** A gain that follows level. */
function gainKind(
  reading: ChannelReading,
  moved: Moved,
  remembered: readonly { after: string; db: number }[],
): KindFound {
  const courses = reading.courses ?? [];
  const bands = bandsOf(reading, moved, remembered);
  const isUp = (moved.steady || moved.middle || moved.low || moved.high) > 0;
  const points = pointsOf(reading);
  if (bands !== "whole") {
    const actsWhenQuiet = actsAt(reading, null);
    return {
      ...NOTHING,
      name: bands,
      confidence: bands === "unknown" ? 0 : 0.8,
      staticCurve: points,
      staticCurveWithheld: "bands",
      timesWithheld: "bands",
      actsWhenQuiet,
    };
  }
  const [judged] = modelsFor(courses, isUp ? "expander" : "downward", reading);
  // What was held out has judged the kind of model: its numbers are then of all there is.
  const [final] = judged ? gainModels(courses, judged.curve, judged, [judged.detector], judged, true) : [];
  const best = judged && final && { ...final, fittedDb: judged.fittedDb, heldOutDb: judged.heldOutDb };
  const error = errorOfCells(courses.flatMap(({ cells }) => cells));
  if (!best || best.spanDb < LEAST_SPAN_DB)
    return {
      ...NOTHING,
      name: "unknown",
      confidence: 0,
      staticCurve: points,
      staticCurveWithheld: "noModel",
      timesWithheld: "noModel",
    };
  const open = Math.max(PREDICTS_DB, PREDICTS_SHARE * best.spanDb, PREDICTS_ERRORS * error);
  const predicts = best.heldOutDb <= open && best.fittedDb <= open;
  const follows =
    Math.max(best.heldOutDb, best.fittedDb) <= Math.max(Math.min(FOLLOWS_DB, FOLLOWS_SHARE * best.spanDb), open);
  // A model that does not predict says nothing of where gain is at rest.
  const actsWhenQuiet = actsAt(reading, predicts ? best : null);
  if (!follows && !movesOneWay(points, remembered, isUp))
    return {
      ...NOTHING,
      name: "unknown",
      confidence: 0,
      gainErrorDb: best.heldOutDb,
      staticCurve: points,
      staticCurveWithheld: "noModel",
      timesWithheld: "noModel",
      actsWhenQuiet,
    };
  const { staticCurve, staticCurveWithheld } = predicts
    ? staticCurveFound(best, points, error, errorThatCounts(courses.flatMap(({ cells }) => cells)))
    : { staticCurve: points, staticCurveWithheld: "noModel" as const };
  const isOneCurve = staticCurveWithheld === null;
  const name: BenchKind = isUp
    ? !follows
      ? opensAtOnce(points)
        ? "gate"
        : "expander"
      : best.ratio >= GATE_RATIO || best.rangeDb === 0
        ? best.spanDb >= GATE_RANGE_DB
          ? "gate"
          : "expander"
        : "expander"
    : isOneCurve && (staticCurve?.ratio ?? 0) >= LIMITER_RATIO
      ? "limiter"
      : "compressor";
  return {
    name,
    confidence: follows ? Math.max(0.5, Math.min(0.99, 1 - best.heldOutDb / best.spanDb)) : BY_POINTS,
    residualDb: null,
    gainErrorDb: follows ? best.heldOutDb : null,
    gainModel: best,
    staticCurve,
    staticCurveWithheld,
    timesWithheld: predicts ? null : "noModel",
    actsWhenQuiet,
  };
}

/** Confidence where no model predicts, but gain falls as level rises, and stays down for a while after. */
const BY_POINTS = 0.6;
const RISES_DB = 0.3;

/**
 * Whether gain moves one way with level, and what is remembered of loud sounds goes the same way: a compressor (or, upwards, an expander) by what it
 * does, whatever its times.
 */
function movesOneWay(points: StaticCurve | null, remembered: readonly { db: number }[], isUp: boolean): boolean {
  const sign = isUp ? -1 : 1;
  const all = points?.points.map(({ inDbfs, outDbfs }) => sign * (outDbfs - inDbfs)) ?? [];
  // What rises first is still let go of.
  const gains = all.slice(all.indexOf(Math.max(...all)));
  let least = Number.POSITIVE_INFINITY;
  for (const gain of gains) {
    if (gain > least + RISES_DB) return false;
    least = Math.min(least, gain);
  }
  const own = remembered.filter(({ db }) => db !== 0);
  return (
    gains.length >= LEAST_POINTS &&
    gains[0] - least > STEP_MOVES_DB &&
    own.length > 0 &&
    own.every(({ db }) => sign * db < 0)
  );
}

/** Of an expander whose gain opens by so much within one step of level: a gate by what it does. */
function opensAtOnce(points: StaticCurve | null): boolean {
  const gains = points?.points.map(({ inDbfs, outDbfs }) => outDbfs - inDbfs) ?? [];
  return gains.some((gain, i) => i > 0 && gain - gains[i - 1] > GATE_RANGE_DB);
}

/** The plainest model that predicts: further ones are tried where it does not. */
export function modelsFor(
  courses: readonly GainCourse[],
  direction: GainModel["curve"],
  { times }: ChannelReading,
): GainModel[] {
  const error = errorThatCounts(courses.flatMap(({ cells }) => cells));
  const seeds = {
    downMs: Math.max(0.1, (direction === "downward" ? times?.attackMs : times?.releaseMs) ?? 10),
    upMs: Math.max(0.5, (direction === "downward" ? times?.releaseMs : times?.attackMs) ?? 100),
    holdMs: times?.holdMs ?? 0,
    lookAheadMs: times?.lookAheadMs ?? 0,
  };
  const isEnough = (m: GainModel) =>
    Math.max(m.fittedDb, m.heldOutDb) < Math.max(ENOUGH_DB, ENOUGH_SHARE * m.spanDb, error);
  const scoreOf = ({ model }: { model: GainModel }) => hypot(model.fittedDb, model.heldOutDb);
  // Hold and look-ahead are read off a few cells: noise makes them as well, so each has to predict better than none.
  const none = { ...seeds, holdMs: 0, lookAheadMs: 0 };
  const holds = [...new Set([seeds.holdMs, ...HOLDS_MS[direction]])].filter((ms) => ms > 0);
  const withEach = [
    ...(seeds.lookAheadMs > 0 ? [{ ...none, lookAheadMs: seeds.lookAheadMs }, { ...seeds }] : []),
    ...holds.map((holdMs) => ({ ...none, holdMs })),
  ];
  const fitOf = (one: typeof seeds) =>
    gainModels(courses, direction, one, ["gain"]).map((model) => ({ model, seeds: one }));
  const [first] = fitOf(none);
  if (!first) return [];
  const isPlain =
    Math.max(first.model.fittedDb, first.model.heldOutDb) < Math.max(ENOUGH_DB, ENOUGH_SHARE * first.model.spanDb);
  const others = isPlain ? [] : withEach.flatMap(fitOf);
  const best = others.reduce((one, other) => (scoreOf(other) < BETTER * scoreOf(one) ? other : one), first);
  const plain = best.model;
  if (isEnough(plain)) return [plain];
  const further = gainModels(
    courses,
    direction,
    // What smoothed power lags by is no hold.
    { ...best.seeds, holdMs: 0 },
    direction === "downward" ? ["power", "rms", "parallel"] : ["power", "rms"],
    first.model,
  );
  // One more number to choose has to be worth it.
  const costOf = (m: GainModel) =>
    hypot(m.fittedDb, m.heldOutDb) * (m.detector === "rms" || m.detector === "parallel" ? EXTRA_COST : 1);
  // Hardly any of the input beside what is compressed is none.
  const real = further.filter(({ mix, detector }) => detector !== "parallel" || mix < LEAST_PARALLEL);
  return [plain, ...real].toSorted((a, b) => costOf(a) - costOf(b));
}
const EXTRA_COST = 1.5;
const LEAST_PARALLEL = 0.93;
/** A hold or a look-ahead has to leave less than this share of what none leaves. */
const BETTER = 0.9;
/** Holds that a fit begins from (ms): an expander's detector has to fall from what was loud before it closes. */
const HOLDS_MS = { downward: [12, 40], expander: [12, 40, 120] };
/** A model that leaves less than this needs none beside it (dB, share of what gain spans). */
const ENOUGH_DB = 0.05;
const ENOUGH_SHARE = 0.004;

/** Whether gain is reduced around the quiet sweep's level: by the model, or by the points. */
function actsAt({ input, gains }: ChannelReading, model: GainModel | null): boolean {
  const level = input.parts.quietSweeps?.[0].levelDbfs ?? input.plan.form.levelDbfs;
  if (model?.curve === "downward") {
    const over = level - model.thresholdDbfs + model.kneeDb / 2;
    return over > 0 && (1 - 1 / model.ratio) * over > ACTS_DB;
  }
  return [gains.low, gains.middle, gains.high].some((points) => {
    const near = points
      .filter(({ inDbfs, errorDb }) => Math.abs(inDbfs - level) <= 6.5 && errorDb < ACTS_DB)
      .map(({ gainDb }) => gainDb);
    return near.length > 1 && Math.max(...near) - Math.min(...near) > ACTS_DB;
  });
}
