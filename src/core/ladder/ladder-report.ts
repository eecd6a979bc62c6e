import { z } from "zod";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import type { FrameRange, Sound } from "../audio/sound";
import { bentTo } from "./bend-curve";
import { foundSchema } from "./found";
import { gainsOf } from "./gain-curve";
import { type Climb, climb, type Left, type Pause, STEP_KEYS } from "./ladder";
import { leftOver, leftPartSchema } from "./left-over";
import { energyOf, IN_FULL, type PairSignals, pairSignals, SCOUTED } from "./pair-signals";

/** Raise when any step of a ladder would come out differently. */
export const LADDER_VERSION = 5;

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
      step("level", { gainDb: figure }),
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
  placed: { delaySamples: number; polarity: 1 | -1; driftPpm: number | null } | null;
};

/** Under so many frames nothing is fitted. */
const LEAST_FRAMES = 256;
/** A step that leaves no less by this factor (half a dB) gains nothing. */
const GAINS = 0.89;
/** Points of a bend that are told. */
const CURVE_POINTS = 65;
/** Of the gains over time, this part at each end is not told as range. */
const RANGE_TAIL = 0.05;
/** What folds is told apart by this much, in dB. */
const FOLDS_BY_DB = 0.5;

const db = (share: number): number | null => (share > 0 ? dbFromPower(share) : null);

/** Takes a pair apart; what is known early is told to `onPartial`. */
export function ladderOf(
  { delivered, inStep, region, placed }: LadderTask,
  pause: Pause,
  onPartial: (ladder: Ladder) => void = () => {},
): Ladder {
  const pair = pairSignals(inStep.here, inStep.yonder, region, IN_FULL);
  const whole = energyOf(pair.judged, pair.yonder);
  const asTheyCame = pairSignals(delivered.here, delivered.yonder, region, { ...IN_FULL, reach: 1024 });
  const deliveredWhole = energyOf(asTheyCame.judged, asTheyCame.yonder);
  const share = (left: number, of: number) => (of > 0 ? db(left / of) : null);
  const deliveredDb = share(energyOf(asTheyCame.judged, asTheyCame.yonder, asTheyCame.here), deliveredWhole);
  const asIs = energyOf(pair.judged, pair.yonder, pair.here);
  const judged = { seconds: pair.judgedFrames / pair.sampleRateHz, stretches: pair.stretches.length };
  const first: LadderStep[] = [
    { step: "delivered", residualDb: deliveredDb },
    {
      step: "time",
      residualDb: share(asIs, whole),
      delaySamples: placed?.delaySamples ?? null,
      polarity: placed?.polarity ?? null,
      driftPpm: placed?.driftPpm ?? null,
    },
  ];
  const ends = (problem: string | null): Ladder => ({
    steps: first,
    judged,
    found: null,
    curve: [],
    problem,
    isPartial: false,
  });
  if (!placed) return ends("The two could not be put in step, so nothing further can be taken apart.");
  if (whole === 0) return ends("Yonder is silent here: there is nothing to take apart.");
  if (energyOf(pair.judged, pair.here) === 0) return ends("Here is silent here: there is nothing to take apart.");
  if (pair.judgedFrames < LEAST_FRAMES) return ends("This is too short to take apart.");
  onPartial({ ...ends(null), isPartial: true });
  if (asIs === 0) return { ...ends(null), steps: [...first, ...same(null)] };
  const climbed = climb(pair, pairSignals(inStep.here, inStep.yonder, region, SCOUTED), pause);
  pause("Sorting what is left");
  return { ...ends(null), ...described(climbed, first) };
}

/** All further steps where nothing is left. */
const same = (residualDb: number | null): LadderStep[] => [
  { step: "level", residualDb, gainDb: 0 },
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

/** Only what is not worse than the step before is worn; each step with what it leaves. */
function described(climbed: Climb, first: LadderStep[]): Pick<Ladder, "steps" | "found" | "curve"> {
  const { pair, chain, found, levelled, worn } = climbed;
  const better = (left: Left, before: Left) => (left.crossed < GAINS * before.crossed ? left : before);
  const toned = better(climbed.toned, levelled);
  const overTime = chain.level ? better(climbed.overTime, toned) : toned;
  const bended = chain.bend ? better(climbed.bended, overTime) : overTime;
  // What is told apart is what the last step that gained something leaves.
  const last = STEP_KEYS.findLast((key) => climbed[key] === bended) ?? "levelled";
  const gains = levelRange(pair, climbed);
  const fold = chain.bend && bended === climbed.bended ? foldOf(climbed) : null;
  const bend = chain.bend && bended === climbed.bended ? evenAndOdd(pair, climbed) : null;
  const left = (state: Left) => ({ residualDb: db(state.crossed), fittedDb: db(state.fitted) });
  return {
    found,
    curve: bend ? bend.curve : [],
    steps: [
      ...first,
      { step: "level", residualDb: db(levelled.crossed), gainDb: gainDbOf(found.gains.level) },
      {
        step: "tone",
        ...left(toned),
        taps: toned === levelled ? 0 : chain.tone.taps,
        isCrossed: toned !== levelled && chain.tone.isCrossed,
      },
      {
        step: "levelOverTime",
        ...left(overTime),
        bands: overTime === toned ? 1 : (chain.level?.edgesHz.length ?? 0) + 1,
        edgesHz: overTime === toned ? [] : (chain.level?.edgesHz ?? []),
        isLinked: chain.level?.isLinked ?? true,
        rangeDb: overTime === toned ? 0 : gains,
        knotSeconds:
          overTime === toned || !chain.level ? null : chain.level.fits[0][0].curve.knotFrames / pair.sampleRateHz,
      },
      {
        step: "bend",
        ...left(bended),
        evenDb: bend?.evenDb ?? null,
        oddDb: bend?.oddDb ?? null,
        folds: fold === null ? null : fold.folds,
        foldsByDb: fold?.byDb ?? null,
      },
      { step: "left", residualDb: db(bended.crossed), kinds: leftOver(pair, worn[last]) },
    ],
  };
}

const gainDbOf = (gain: number): number | null => (gain > 0 ? dbFromAmplitude(gain) : null);

/** How far the gain over time moves, where there is sound: from its 5th to its 95th percentile by energy. */
function levelRange(pair: PairSignals, { chain }: Climb): number | null {
  if (!chain.level) return 0;
  let most = 0;
  for (const band of chain.level.fits) {
    for (const [f, fit] of band.entries()) {
      const gains = gainsOf(fit.curve, 0, pair.judged.length);
      const signal = pair.here[Math.min(f, pair.here.length - 1)];
      const points: { gain: number; energy: number }[] = [];
      const every = Math.max(1, Math.round(0.005 * pair.sampleRateHz));
      for (let n = 0; n + every <= signal.length; n += every) {
        if (pair.judged[n] === 0) continue;
        let energy = 0;
        for (let i = 0; i < every; i++) energy += signal[n + i] ** 2;
        const gain = gains[n + (every >> 1)];
        if (energy > 0 && gain > 0) points.push({ gain, energy });
      }
      // Loud or soft, a moment that sounds counts once: quiet ones a thousandth of the loudest do not.
      const loudest = points.reduce((m, p) => Math.max(m, p.energy), 0);
      const sounding = points.filter((p) => p.energy > 1e-4 * loudest).map((p) => 20 * log10(p.gain));
      sounding.sort((a, b) => a - b);
      if (sounding.length > 0)
        most = Math.max(
          most,
          sounding[Math.floor((1 - RANGE_TAIL) * (sounding.length - 1))] -
            sounding[Math.floor(RANGE_TAIL * (sounding.length - 1))],
        );
    }
  }
  return most;
}

/** Whether working the curve out at the file's own rate explains Yonder better than free of folding: null where neither clearly does. */
function foldOf({ chain }: Climb): { folds: boolean | null; byDb: number | null } {
  const { bend } = chain;
  if (!bend || bend.freeLeft === null || bend.freeLeft <= 0 || bend.ownLeft <= 0) return { folds: null, byDb: null };
  const byDb = dbFromPower(bend.freeLeft / bend.ownLeft);
  return Math.abs(byDb) < FOLDS_BY_DB ? { folds: null, byDb } : { folds: byDb > 0, byDb };
}

/** The curve over the levels that occur, and how much of its even and odd part is no straight line, over Yonder's energy. */
function evenAndOdd(pair: PairSignals, { chain, whole }: Climb) {
  const curve = chain.bend?.curve;
  if (!curve) return null;
  const { reach } = curve;
  const points = Array.from({ length: CURVE_POINTS }, (_, i) => {
    const inFs = reach * ((2 * i) / (CURVE_POINTS - 1) - 1);
    return { inFs, outFs: bentTo(curve, inFs) };
  });
  // Weighed by how often each level occurs in what comes in.
  const counts = new Float64Array(CURVE_POINTS);
  let frames = 0;
  for (const signal of pair.here)
    for (let n = 0; n < signal.length; n += 7) {
      if (pair.judged[n] === 0) continue;
      const place = Math.round(((Math.max(-reach, Math.min(reach, signal[n])) / reach + 1) / 2) * (CURVE_POINTS - 1));
      counts[place]++;
      frames++;
    }
  const rest = bentTo(curve, 0);
  let [even, odd, slope, energy] = [0, 0, 0, 0];
  const halves = points.map((p, i) => {
    const mirrored = points[CURVE_POINTS - 1 - i].outFs;
    return { x: p.inFs, even: (p.outFs + mirrored) / 2 - rest, odd: (p.outFs - mirrored) / 2, n: counts[i] };
  });
  for (const h of halves) {
    slope += h.n * h.x * h.odd;
    energy += h.n * h.x * h.x;
  }
  const line = energy > 0 ? slope / energy : 0;
  let mean = 0;
  for (const h of halves) mean += (h.n * h.even) / Math.max(1, frames);
  for (const h of halves) {
    even += h.n * (h.even - mean) ** 2;
    odd += h.n * (h.odd - line * h.x) ** 2;
  }
  const scale = (pair.judgedFrames * pair.here.length) / Math.max(1, frames) / whole;
  return { curve: points, evenDb: db(even * scale), oddDb: db(odd * scale) };
}
