import { z } from "zod";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { asRead, type FrameRange, type Sound } from "../audio/sound";
import {
  addedOffsets,
  type Exception,
  energyIn,
  exceptionSchema,
  identityOf,
  identitySchema,
  plainExceptions,
  STEP_SECONDS,
  type Survey,
  stepEnergies,
  surveyOf,
} from "../survey/survey";
import { confirmed, exceptionsIn, timelineOf } from "../survey/timeline";
import { applied } from "./applied";
import { type CauseFound, causeSchema } from "./causes";
import { causesOfChain, flatCauses, prunedChain } from "./chain-causes";
import { undoing, withHeldOutGains } from "./chain-fit";
import { appliedUpToEachStep, crossValidated, type Residuals, STEPS } from "./cross-validation";
import { type AppliedStep, type Found, type FoundFilter, foundSchema, foundStage } from "./found-chain";
import { type LeftPart, leftOver, leftPartSchema } from "./left-over";
import {
  type ExcerptPlan,
  energyOf,
  FOR_CHAINS,
  IN_FULL,
  type PairSignals,
  pairSignals,
  type Worth,
} from "./pair-signals";
import { coherentEnergies } from "./pair-transfer";
import {
  type Domain,
  delayBetweenSides,
  domainOf,
  inMidSide,
  type MovedSide,
  sideThatIsOff,
  withSideMoved,
} from "./routing";
import { type SaturationCurve, saturatedAt } from "./saturation-curve";
import { type Pause, type Search, searchChain } from "./search";
import { type Chain, causeOf, leastSquaresGain, ofChannel, throughChain } from "./stages";

/** Raise when any step of a ladder would come out differently. */
export const LADDER_VERSION = 6;

const figure = z.number().nullable();
const step = <Name extends string, Shape extends z.ZodRawShape>(name: Name, shape: Shape) =>
  // null is silence where a step could be judged.
  z.object({ step: z.literal(name), residualDb: figure, ...shape });

export const ladderSchema = z.object({
  /** The steps; those after level are missing where nothing could be fitted. */
  steps: z.array(
    z.discriminatedUnion("step", [
      step("delivered", {}),
      step("time", { delaySamples: figure, polarity: figure, driftPpm: figure }),
      step("level", { gainDb: figure, nullGainDb: figure }),
      step("tone", { fittedDb: figure, taps: z.number(), isCrossed: z.boolean() }),
      step("levelOverTime", {
        fittedDb: figure,
        bands: z.number(),
        edgesHz: z.array(z.number()),
        isLinked: z.boolean(),
        rangeDb: figure,
        knotSeconds: figure,
      }),
      step("bend", {
        fittedDb: figure,
        evenDb: figure,
        oddDb: figure,
        folds: z.boolean().nullable(),
        foldsByDb: figure,
      }),
      step("left", { kinds: z.array(leftPartSchema) }),
    ]),
  ),
  /** How much of the region was judged, and in how many stretches. */
  judged: z.object({ seconds: z.number(), stretches: z.number() }),
  /** What was found, to be worn; null where there is nothing to wear. */
  found: foundSchema.nullable(),
  /** In against out of the bend, in parts of full scale; empty where there is none. */
  curve: z.array(z.object({ inFs: z.number(), outFs: z.number() })),
  /** Whether what follows level can be worked out: both sound, and long enough. */
  problem: z.string().nullable(),
  /** Whether every sample is the same, and how much of the region both cover. */
  identity: identitySchema,
  /** Where what is told of the rest does not hold. */
  exceptions: z.array(exceptionSchema),
  /** What sets the two apart, most important first. */
  causes: z.array(causeSchema),
  /** Stages of another chain that explains as much; empty where there is none. */
  alternatives: z.array(z.array(z.enum(["eq", "gain", "saturation"]))),
  /** Only the first steps are known yet. */
  isPartial: z.boolean(),
});
export type Ladder = z.infer<typeof ladderSchema>;
export type LadderStep = Ladder["steps"][number];
export type StepName = LadderStep["step"];

/** A step by its name; undefined where it could not be worked out. */
export const stepOf = <Name extends StepName>({ steps }: Pick<Ladder, "steps">, name: Name) =>
  steps.find((s): s is Extract<LadderStep, { step: Name }> => s.step === name);

/** A pair as it is taken apart. */
export type LadderTask = {
  /** As they came, at one rate. */
  delivered: { here: Sound; yonder: Sound };
  inStep: { here: Sound; yonder: Sound };
  /** Frames both cover, in step. */
  region: FrameRange;
  /** How Yonder lies against Here; null where no place was found. */
  placed: Placed | null;
  /** The share of what was asked for that both cover; parts that one of them lacks. */
  judgedShare?: number;
  missing?: Exception[];
};

export type Placed = {
  delaySamples: number;
  polarity: 1 | -1;
  polarityRight?: 1 | -1;
  swapped?: boolean;
  driftPpm: number | null;
};

/** Under so many frames nothing is fitted. */
const LEAST_FRAMES = 256;
/** A step that improves by less than this factor (half a dB) brings no improvement. */
const IMPROVES = 0.89;
/** Points of a curve that are told. */
const CURVE_POINTS = 65;
/** A delay under this is none: alignments are hardly surer (samples). */
const LEAST_DELAY_SAMPLES = 0.05;
/** A level difference under this is none (dB). */
const LEAST_LEVEL_DB = 0.01;
/** Noise under this is not told as added (dB re Yonder): a fit leaves as much. */
const LEAST_NOISE_DB = -70;

const db = (share: number): number | null => (share > 0 ? dbFromPower(share) : null);

/** Takes a pair apart; what is known early is told to `onPartial`. */
export function ladderOf(task: LadderTask, pause: Pause, onPartial: (ladder: Ladder) => void = () => {}): Ladder {
  const { delivered, inStep, region, placed, missing = [] } = task;
  pause("Comparing every sample");
  const survey = surveyOf(inStep.here, inStep.yonder, region, () => pause());
  const identity = identityOf(survey, task.judgedShare ?? 1);
  const known = placed ? plainExceptions(survey) : [];
  const whole = energyIn(survey, "yonder");
  const asTheyCame = pairSignals(delivered.here, delivered.yonder, region, { ...IN_FULL, reach: 1024 });
  const deliveredWhole = energyOf(asTheyCame.judged, asTheyCame.yonder);
  const share = (left: number, of: number) => (of > 0 ? db(left / of) : null);
  const deliveredDb = share(energyOf(asTheyCame.judged, asTheyCame.yonder, asTheyCame.here), deliveredWhole);
  const offsets = addedOffsets(survey);
  const excerpt = (plan: ExcerptPlan, exceptions: readonly Exception[]) =>
    withoutOffsets(pairSignals(inStep.here, inStep.yonder, region, plan, worthOf(survey, exceptions)), offsets);
  const raw = pairSignals(inStep.here, inStep.yonder, region, IN_FULL, worthOf(survey, known));
  const judged = { seconds: raw.judgedFrames / raw.sampleRateHz, stretches: raw.stretches.length };
  const asIs = energyOf(raw.judged, raw.yonder, raw.here);
  const first: LadderStep[] = [
    { step: "delivered", residualDb: deliveredDb },
    {
      step: "time",
      residualDb: share(asIs, energyOf(raw.judged, raw.yonder)),
      delaySamples: placed?.delaySamples ?? null,
      polarity: placed?.polarity ?? null,
      driftPpm: placed?.driftPpm ?? null,
    },
  ];
  const early = placed ? [...placedCauses(placed), ...editCauses([...known, ...missing])] : [];
  const ends = (problem: string | null): Ladder => ({
    steps: first,
    judged,
    found: null,
    curve: [],
    problem,
    identity,
    exceptions: [...known, ...missing],
    causes: early,
    alternatives: [],
    isPartial: false,
  });
  if (!placed) return ends("The two could not be aligned, so nothing further can be explained.");
  if (whole === 0) return ends("Yonder is silent here: there is nothing to explain.");
  if (energyIn(survey, "here") === 0) return ends("Here is silent here: there is nothing to explain.");
  if (raw.judgedFrames < LEAST_FRAMES) return ends("This is too short to explain.");
  onPartial({ ...ends(null), isPartial: true });
  if (identity.is === "same") return { ...ends(null), steps: [...first, ...same(null)] };
  let exceptions = known;
  let result = explained(task, excerpt, exceptions, offsets, survey, pause);
  // Where a stretch that was fitted on turns out to be an exception, once more without it.
  if (result.exceptions.some((e) => e.what !== "click" && overlaps(e, result.pair, survey))) {
    exceptions = [...known, ...result.exceptions];
    const again = explained(task, excerpt, exceptions, offsets, survey, pause);
    if (again.left / again.whole < result.left / result.whole) result = again;
  }
  pause("Sorting the residual");
  const held = result.known.filter((k) => known.includes(k));
  const told = [...held, ...result.exceptions.filter((e) => !held.some((k) => overlap(k, e))), ...missing].toSorted(
    (a, b) => a.startSeconds - b.startSeconds,
  );
  const described_ = described(result, first, pause);
  const dc = offsetCauses(offsets, inStep.yonder.channelCount);
  const causes = [...placedCauses(placed, result.movedSide), ...dc, ...editCauses(told), ...described_.causes];
  return {
    ...ends(null),
    ...described_,
    judged: { seconds: result.pair.judgedFrames / result.pair.sampleRateHz, stretches: result.pair.stretches.length },
    exceptions: told,
    causes: causes.toSorted((a, b) => (b.worthDb ?? ordinary(b)) - (a.worthDb ?? ordinary(a))),
  };
}

/** A cause of unknown worth stands behind those that are worth more than this (dB). */
const ordinary = ({ cause }: CauseFound): number =>
  cause === "edit" || cause === "polarity" || cause === "swap" ? 60 : cause === "unexplained" ? -1 : 3;

const overlap = (a: Exception, b: Exception) => a.startSeconds < b.endSeconds && b.startSeconds < a.endSeconds;

function overlaps(e: Exception, pair: PairSignals, survey: Survey): boolean {
  const rate = survey.sampleRateHz;
  return pair.stretches.some(
    ({ passageFrame, frames }) => passageFrame / rate < e.endSeconds && e.startSeconds < (passageFrame + frames) / rate,
  );
}

/** What a step of the survey is worth for fitting: louder ones more, exceptions and silence nothing. */
function worthOf(survey: Survey, exceptions: readonly Exception[]): Worth {
  const [here, yonder] = [stepEnergies(survey, "here"), stepEnergies(survey, "yonder")];
  const values = here.map((e, t) => Math.sqrt(Math.sqrt(e * yonder[t])));
  const rate = survey.sampleRateHz;
  for (const { startSeconds, endSeconds } of exceptions)
    for (let t = 0; t < values.length; t++) {
      const from = (survey.region.startFrame + t * survey.stepFrames) / rate;
      if (from < endSeconds + STEP_SECONDS && startSeconds - STEP_SECONDS < from + STEP_SECONDS) values[t] = 0;
    }
  // Silence without an exception may be fitted on; it only tells nothing.
  const least = 1e-9 * values.reduce((most, v) => Math.max(most, v), 1e-30);
  return {
    firstFrame: survey.region.startFrame,
    stepFrames: survey.stepFrames,
    values: exceptions.length > 0 ? values : values.map((v) => Math.max(v, least)),
  };
}

const withoutOffsets = (pair: PairSignals, offsets: readonly number[]): PairSignals =>
  offsets.every((v) => v === 0)
    ? pair
    : { ...pair, yonder: pair.yonder.map((s, c) => s.map((v) => v - ofChannel(offsets, c))) };

function offsetCauses(offsets: readonly number[], channels: number): CauseFound[] {
  if (offsets.every((v) => v === 0)) return [];
  const [left, right] = offsets;
  const isBoth = channels < 2 || offsets.every((v) => v !== 0);
  return [
    {
      cause: "dc",
      channels: isBoth ? "both" : left !== 0 ? "left" : "right",
      worthDb: null,
      fullScale: left !== 0 ? left : right,
    },
  ];
}

function placedCauses(
  { delaySamples, polarity, polarityRight = polarity, swapped = false, driftPpm }: Placed,
  { side, samples }: MovedSide = { side: "right", samples: 0 },
): CauseFound[] {
  const causes: CauseFound[] = [];
  const delay = (channels: "both" | "left" | "right", late: number) => {
    if (Math.abs(late) >= LEAST_DELAY_SAMPLES) causes.push({ cause: "delay", channels, worthDb: null, samples: late });
  };
  if (samples === 0) delay("both", delaySamples);
  else {
    // The render was laid by one side; the other one's delay is told against Here, too.
    const [moved, other] = [delaySamples + samples, delaySamples];
    const otherSide = side === "left" ? "right" : "left";
    if (Math.abs(moved) < LEAST_DELAY_SAMPLES) delay(otherSide, other);
    else if (Math.abs(other) < LEAST_DELAY_SAMPLES) delay(side, moved);
    else {
      delay("both", other);
      delay(side, samples);
    }
  }
  if (driftPpm) causes.push({ cause: "drift", channels: "both", worthDb: null, ppm: driftPpm });
  if (polarity === -1 || polarityRight === -1) {
    const channels = polarity === polarityRight ? "both" : polarity === -1 ? "left" : "right";
    causes.push({ cause: "polarity", channels, worthDb: null });
  }
  if (swapped) causes.push({ cause: "swap", channels: "both", worthDb: null });
  return causes;
}

const editCauses = (exceptions: readonly Exception[]): CauseFound[] =>
  exceptions.map(({ what, startSeconds, endSeconds }) => ({
    cause: "edit",
    channels: "both",
    worthDb: null,
    what,
    startSeconds,
    endSeconds,
  }));

/** What was found between the two, and where it does not hold. */
type Explained = Search & {
  whole: number;
  domain: Domain;
  movedSide: MovedSide;
  worthDb: number[];
  /** Before anything was fitted, at the deepest null. */
  level: { gain: number; left: number; asIs: number; levelDb: number };
  found: Found;
  residuals: Record<AppliedStep, Residuals>;
  applied: ReturnType<typeof appliedUpToEachStep>;
  /** What was known before and holds against the model, and where the model does not hold. */
  known: Exception[];
  exceptions: Exception[];
};

function explained(
  task: LadderTask,
  excerpt: (plan: ExcerptPlan, exceptions: readonly Exception[]) => PairSignals,
  known: readonly Exception[],
  offsets: readonly number[],
  survey: Survey,
  pause: Pause,
): Explained {
  const plain = excerpt(IN_FULL, known);
  const domain = domainOf(plain);
  const movedSide = sideThatIsOff(plain, domain === "mid-side" ? 0 : delayBetweenSides(plain));
  const prepared = (pair: PairSignals) => {
    const own = withSideMoved(pair, movedSide);
    return domain === "mid-side" ? inMidSide(own) : own;
  };
  const inFull = prepared(plain);
  const search = searchChain(inFull, prepared(excerpt(FOR_CHAINS, known)), pause);
  pause("Weighing each stage");
  const { pair } = search;
  const pruned = prunedChain(search, pause);
  const chain = withHeldOutGains(pair, pruned.chain);
  pause("Judging each half by the other");
  const crossed = crossValidated(pair, chain, pause);
  const fitted = appliedUpToEachStep(pair, chain, pair.judged, false);
  const held = appliedUpToEachStep(pair, chain, pair.judged, true);
  const whole = energyOf(pair.judged, pair.yonder);
  const residuals = Object.fromEntries(
    STEPS.map((step) => [
      step,
      {
        fitted: energyOf(pair.judged, pair.yonder, fitted[step].signals) / whole,
        crossValidated: crossed[step] / whole,
      },
    ]),
  ) as Record<AppliedStep, Residuals>;
  const hasGain = chain.some(({ kind }) => kind === "gain");
  const found: Found = {
    domain,
    movedSide,
    stages: chain.map((stage, place) => foundStage(stage, hasGain ? inverseFor(pair, chain, place) : null)),
    gains: { level: fitted.level.gain, tone: fitted.tone.gain, levelOverTime: fitted.levelOverTime.gain },
  };
  pause("Checking all of it");
  const model = applied(task.inStep.here, task.inStep.yonder, task.region, found, "bend");
  const timeline = timelineOf(model, withoutOffset(task.inStep.yonder, offsets), survey, () => pause());
  const forms = chain.flatMap((s) => (s.kind === "filter" ? [s.eq] : []));
  const exceptions = exceptionsIn(timeline, survey, {
    startFrames: Math.max(0, ...forms.map(({ taps, lead }) => taps - lead)),
    endFrames: Math.max(0, ...forms.map(({ lead }) => lead)),
  });
  return {
    ...search,
    chain,
    left: pruned.left,
    whole,
    domain,
    movedSide,
    worthDb: pruned.worthDb,
    level: levelBetween(plain),
    found,
    residuals,
    applied: held,
    known: confirmed(known, timeline, survey),
    exceptions,
  };
}

const withoutOffset = (sound: Sound, offsets: readonly number[]): Sound =>
  offsets.every((v) => v === 0)
    ? sound
    : asRead(sound, (from, count) =>
        sound.read(from, count).map((channel, c) => channel.map((v) => v - ofChannel(offsets, c))),
      );

/** What undoes a filter that a gain over time comes before. */
function inverseFor(pair: PairSignals, chain: Chain, place: number): FoundFilter | null {
  const stage = chain[place];
  if (stage.kind !== "filter" && stage.kind !== "cascade") return null;
  if (!chain.slice(0, place).some(({ kind }) => kind === "gain")) return null;
  const filters = undoing(throughChain(pair.here, chain.slice(0, place), pair.sampleRateHz), stage, pair);
  return { responses: filters.map((f) => f.responses.map((h) => h.slice())), lead: filters[0].lead };
}

/** Level by energy in what goes together, and by the gain of the deepest null. */
function levelBetween(pair: PairSignals): Explained["level"] {
  const { here, yonder, judged } = pair;
  const gain = leastSquaresGain(judged, here, yonder);
  const left = energyOf(
    judged,
    yonder,
    here.map((s) => s.map((v) => v * gain)),
  );
  const sums = here.map((x, c) => coherentEnergies(pair, x, yonder[c]));
  const [input, output] = [0, 1].map((i) => sums.reduce((total, s) => total + s[i], 0));
  return {
    gain,
    left,
    asIs: energyOf(judged, yonder, here),
    levelDb: input > 0 && output > 0 ? dbFromPower(output / input) : 0,
  };
}

/** All further steps where nothing is left. */
const same = (residualDb: number | null): LadderStep[] => [
  { step: "level", residualDb, gainDb: 0, nullGainDb: 0 },
  { step: "tone", residualDb, fittedDb: residualDb, taps: 1, isCrossed: false },
  {
    step: "levelOverTime",
    residualDb,
    fittedDb: residualDb,
    bands: 1,
    edgesHz: [],
    isLinked: true,
    rangeDb: 0,
    knotSeconds: null,
  },
  { step: "bend", residualDb, fittedDb: residualDb, evenDb: null, oddDb: null, folds: null, foldsByDb: null },
  { step: "left", residualDb, kinds: [] },
];

/** The steps with what each leaves, and the causes. Only what is better than the step before is applied. */
function described(
  result: Explained,
  first: LadderStep[],
  pause: Pause,
): Pick<Ladder, "steps" | "found" | "curve" | "causes" | "alternatives"> {
  const { pair, chain, found, residuals, level, domain, worthDb, whole } = result;
  const better = (now: Residuals, before: Residuals) =>
    now.crossValidated < IMPROVES * before.crossValidated ? now : before;
  const toned = better(residuals.tone, residuals.level);
  const overTime = chain.some(({ kind }) => kind === "gain") ? better(residuals.levelOverTime, toned) : toned;
  const last = better(residuals.bend, overTime);
  const { causes, flatDb } = causesOfChain(pair, chain, worthDb, domain, pause);
  const gains = causes.find((c) => c.cause === "gainOverTime" || c.cause === "gainInBands");
  const saturation = causes.find((c) => c.cause === "saturation");
  const gainStage = chain.find((s) => s.kind === "gain");
  const curve = chain.find((s) => s.kind === "saturation")?.curves[0];
  const filters = chain.filter((s) => s.kind === "filter");
  const isCrossed = filters.some(({ eq }) => eq.isCrossed);
  const taps = filters.reduce(
    (most, { eq }) => Math.max(most, eq.taps),
    chain.some((s) => s.kind === "cascade") ? 2 : 0,
  );
  const explainsAtAll = STEPS.findLast((step) => residuals[step] === last) ?? "level";
  const residualDb = db(last.crossValidated);
  const kinds = leftOver(pair, result.applied[explainsAtAll].signals);
  const left = (state: Residuals) => ({ residualDb: db(state.crossValidated), fittedDb: db(state.fitted) });
  const isGained = overTime !== toned && gainStage?.kind === "gain";
  const steps: LadderStep[] = [
    ...first,
    {
      step: "level",
      residualDb: db(residuals.level.crossValidated),
      gainDb: level.levelDb,
      nullGainDb: level.gain > 0 ? dbFromAmplitude(level.gain) : null,
    },
    {
      step: "tone",
      ...left(toned),
      taps: toned === residuals.level ? 0 : taps,
      isCrossed: toned !== residuals.level && isCrossed,
    },
    {
      step: "levelOverTime",
      ...left(overTime),
      bands: isGained ? gainStage.gain.edgesHz.length + 1 : 1,
      edgesHz: isGained ? gainStage.gain.edgesHz : [],
      isLinked: gainStage?.kind === "gain" ? gainStage.gain.isLinked : true,
      rangeDb: isGained ? (gains && "rangeDb" in gains ? gains.rangeDb : null) : 0,
      knotSeconds: isGained ? gainStage.gain.fits[0][0].curve.knotFrames / pair.sampleRateHz : null,
    },
    {
      step: "bend",
      ...left(last),
      evenDb: saturation?.evenDb ?? null,
      oddDb: saturation?.oddDb ?? null,
      folds: saturation?.aliasing ?? null,
      foldsByDb: saturation?.aliasingLeadDb ?? null,
    },
    { step: "left", residualDb, kinds },
  ];
  const levelled = level.left > 0 ? dbFromPower(level.asIs / level.left) : null;
  const isMono =
    domain === "mid-side" && energyOf(pair.judged, [pair.yonder[1]]) < GONE * energyOf(pair.judged, [pair.here[1]]);
  const flat: CauseFound[] = isMono
    ? [{ cause: "width", channels: "both", worthDb: null, widthDb: null }]
    : flatCauses(flatDb, domain, last.crossValidated);
  const levelCause: CauseFound[] =
    Math.abs(level.levelDb) < LEAST_LEVEL_DB
      ? []
      : [
          {
            cause: "level",
            channels: "both",
            worthDb: levelled,
            levelDb: level.levelDb,
            nullGainDb: level.gain > 0 ? dbFromAmplitude(level.gain) : null,
          },
        ];
  // Where next to nothing was explained, nothing that was fitted is a cause.
  const isExplained = last.crossValidated < EXPLAINS || last.crossValidated < IMPROVES * residuals.level.crossValidated;
  const isStranger = residuals.level.crossValidated > STRANGE && last.crossValidated > STRANGER;
  const chained = isExplained && !isStranger ? [...causes, ...flat] : [];
  return {
    found,
    curve: curve ? curvePoints(curve) : [],
    steps,
    causes: [...(isStranger ? [] : levelCause), ...chained, ...residualCauses(kinds, residualDb, whole)],
    alternatives: result.alternative ? [result.alternative.map(causeOf)] : [],
  };
}
/** A side is gone where it lies this far under Here's (−80 dB). */
const GONE = 1e-8;
/** A chain that leaves less than this share (−3 dB) explains something. */
const EXPLAINS = 0.5;
/** Where one gain leaves more than this share (−1 dB) and the chain more than that (−6 dB), the two are different material. */
const STRANGE = 0.8;
const STRANGER = 0.25;

const curvePoints = (curve: SaturationCurve): Ladder["curve"] =>
  Array.from({ length: CURVE_POINTS }, (_, i) => {
    const inFs = curve.reach * ((2 * i) / (CURVE_POINTS - 1) - 1);
    return { inFs, outFs: saturatedAt(curve, inFs) };
  });

/** What the residual says by itself. */
function residualCauses(kinds: readonly LeftPart[], residualDb: number | null, _whole: number): CauseFound[] {
  const causes: CauseFound[] = [];
  let isTold = false;
  for (const { kind, shareDb, bits, hertz, levelDbfs } of kinds) {
    if (kind === "rounding" || kind === "dither") {
      isTold = true;
      causes.push({
        cause: "wordLength",
        channels: "both",
        worthDb: null,
        bits: bits ?? 16,
        dither: kind === "dither",
      });
    } else if ((kind === "line" || kind === "hum") && hertz !== undefined) {
      causes.push({ cause: kind, channels: "both", worthDb: null, hertz, levelDbfs: levelDbfs ?? -200 });
      if (residualDb !== null && shareDb > residualDb - 1) isTold = true;
    } else if (kind === "noise" && residualDb !== null && shareDb > residualDb - 1.5 && residualDb > LEAST_NOISE_DB) {
      isTold = true;
      causes.push({ cause: "noise", channels: "both", worthDb: null, residualDb: shareDb });
    }
  }
  if (!isTold && residualDb !== null && residualDb > UNEXPLAINED_DB)
    causes.push({ cause: "unexplained", channels: "both", worthDb: null, residualDb });
  return causes;
}
/** A residual above this is told as unexplained (dB re Yonder). */
const UNEXPLAINED_DB = -30;
