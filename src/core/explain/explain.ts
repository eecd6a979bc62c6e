import { z } from "zod";
import { align } from "../alignment/align";
import { alignedSound, isWhole } from "../alignment/aligned";
import { AS_IT_IS, type Placement, placedBetween } from "../alignment/alignment";
import { heardDifference, momentSchema } from "../audibility/heard";
import { amplitudeFromDb } from "../audio/decibels";
import { atRate, unknownEdgeFrames } from "../audio/resample";
import { clipOf, type FrameRange, type Sound, soundOf } from "../audio/sound";
import type { Keep } from "../difference/compare";
import { judgedRegion } from "../difference/pair";
import { shapeOf } from "../dynamics/shape";
import { bellSchema, type CauseFound, causeSchema, phaseTold } from "../ladder/causes";
import { ladderOf } from "../ladder/ladder-report";
import { type Ladder, stepOf } from "../ladder/ladder-schema";
import { leftPartSchema } from "../ladder/residual-parts";
import { fail, type Outcome } from "../outcome";
import { averagedSpectra } from "../spectrum/averaged";
import { phaseKindSchema } from "../spectrum/phase-kind";
import { phaseOf } from "../spectrum/phase-of";
import { stereoFigures } from "../stereo/width";
import { type Exception, exceptionSchema, identitySchema } from "../survey/survey";
import { explainSentence } from "../words/explain";
import { TONE_POINTS, toneOf } from "./band-difference";

const figure = z.number().nullable();

/** What the terminal prints of a pair, and the route answers. null where there is no figure: silence, or nothing to tell it by. */
export const explainReportSchema = z.object({
  schema: z.literal("yonder-pair/explain@2"),
  here: z.string(),
  yonder: z.string(),
  region: z.object({ startSeconds: z.number(), endSeconds: z.number() }),
  ladder: z.array(
    z.object({
      step: z.string(),
      residualDb: figure,
      fittedDb: figure.optional(),
      delaySamples: figure.optional(),
      polarity: figure.optional(),
      driftPpm: figure.optional(),
      gainDb: figure.optional(),
      nullGainDb: figure.optional(),
      taps: z.number().optional(),
      crossed: z.boolean().optional(),
      bands: z.number().optional(),
      edgesHertz: z.array(z.number()).optional(),
      bell: bellSchema.optional(),
      linked: z.boolean().optional(),
      rangeDb: figure.optional(),
      evenDb: figure.optional(),
      oddDb: figure.optional(),
      folds: z.boolean().nullable().optional(),
      foldsByDb: figure.optional(),
      kinds: z.array(leftPartSchema).optional(),
    }),
  ),
  judged: z.object({ seconds: z.number(), stretches: z.number() }),
  /** Whether all samples are the same, and the share of the region that both cover. */
  identity: identitySchema,
  /** Where what is reported of the rest does not hold. */
  exceptions: z.array(exceptionSchema),
  /** What sets the two apart, most important first. */
  causes: z.array(causeSchema),
  alternatives: z.array(z.array(z.string())),
  tone: z.object({ hertz: z.array(z.number()), differenceDb: z.array(figure), coherence: z.array(z.number()) }),
  phase: z.object({
    kind: phaseKindSchema,
    hertz: z.array(z.number()),
    degrees: z.array(figure),
    crossoversHertz: z.array(z.number()),
  }),
  dynamics: z.object({ crestHereDb: figure, crestYonderDb: figure, gainRangeDb: figure }),
  stereo: z.object({ widthHereDb: figure, widthYonderDb: figure, correlationHere: figure, correlationYonder: figure }),
  telling: z.array(momentSchema),
  problem: z.string().nullable(),
  sentence: z.string(),
});
export type ExplainReport = z.infer<typeof explainReportSchema>;

export type NamedSound = { file: string; sound: Sound };
export type ExplainAsk = {
  here: NamedSound;
  yonder: NamedSound;
  /** What both are laid on; Here where there is none. */
  dry?: NamedSound;
  /** Of the passage, in seconds; all of it where it is not said. */
  from?: number;
  to?: number;
};

const PHASE_POINTS = 16_384;
const LEAST_POINTS = 64;

type Laid = { delivered: Sound; sound: Sound; placement: Placement | null; frames: number; edgeFrames: number };

/** Analyses a pair from its files alone: puts both aligned with the dry one (or Yonder with Here) first. */
export function explainPair(
  { here, yonder, dry, from, to }: ExplainAsk,
  keep: Keep = (sound) => soundOf(clipOf(sound)),
  pause: (doing?: string) => void = () => {},
): Outcome<ExplainReport> {
  const base = (dry ?? here).sound;
  const rateHz = base.sampleRateHz;
  const laid = (side: NamedSound): Laid => {
    const isBase = side.sound === base;
    const delivered = side.sound.sampleRateHz === rateHz ? side.sound : keep(atRate(side.sound, rateHz));
    const found = isBase ? null : align(base, delivered);
    const placement = isBase ? AS_IT_IS : found?.found ? found : null;
    const placed = alignedSound(delivered, placement ?? AS_IT_IS, base.frames);
    const sound = placement && isWhole(placement) ? placed : keep(placed);
    const edgeFrames = unknownEdgeFrames(side.sound.sampleRateHz, rateHz);
    return { delivered, sound, placement, frames: delivered.frames, edgeFrames };
  };
  const asked: FrameRange = {
    startFrame: Math.max(0, Math.round((from ?? 0) * rateHz)),
    endFrame: Math.min(base.frames, to === undefined ? base.frames : Math.round(to * rateHz)),
  };
  if (asked.endFrame <= asked.startFrame) {
    return fail(
      `From ${from ?? 0} s to ${to ?? base.frames / rateHz} s is outside ${(dry ?? here).file}, which is ${(base.frames / rateHz).toFixed(3)} s long.`,
      "Choose --from and --to within it.",
    );
  }
  const [a, b] = [laid(here), laid(yonder)];
  const region = judgedRegion(
    base.frames,
    [a, b].map(({ placement, frames, edgeFrames }) => ({ placement: placement ?? AS_IT_IS, frames, edgeFrames })),
    asked,
  );
  const missing = missingParts(base.frames, asked, a, b, rateHz);
  const isPlaced = a.placement !== null && b.placement !== null && region.endFrame > region.startFrame;
  const placed = isPlaced && a.placement && b.placement ? placedBetween(a.placement, b.placement) : null;
  const judged = isPlaced ? region : asked;
  const ladder = ladderOf(
    {
      delivered: { here: a.delivered, yonder: b.delivered },
      aligned: { here: a.sound, yonder: b.sound },
      region: judged,
      placed,
      judgedShare: (judged.endFrame - judged.startFrame) / (asked.endFrame - asked.startFrame),
      missing,
    },
    pause,
  );
  pause("Finding where to listen");
  return { ok: true, value: reportOf(here.file, yonder.file, a.sound, b.sound, judged, ladder) };
}

/** Parts of what was asked for that one side lacks, and what it has before and after: by how each lies on the passage. */
function missingParts(frames: number, asked: FrameRange, here: Laid, yonder: Laid, rateHz: number): Exception[] {
  if (!here.placement || !yonder.placement || asked.startFrame > 0 || asked.endFrame < frames) return [];
  const ends = [here, yonder].map(({ placement, frames: own }) => {
    const delay = Math.round(placement?.delaySamples ?? 0);
    return { from: -delay, to: own - delay };
  });
  const [x, y] = ends;
  const parts: Exception[] = [];
  const add = (what: Exception["what"], from: number, to: number) => {
    if (to - from > LEAST_MISSING_SECONDS * rateHz)
      parts.push({ startSeconds: from / rateHz, endSeconds: to / rateHz, what, residualDb: null });
  };
  add("missing in Yonder", x.from, Math.min(y.from, x.to));
  add("missing in Here", y.from, Math.min(x.from, y.to));
  add("missing in Yonder", Math.max(y.to, x.from), x.to);
  add("missing in Here", Math.max(x.to, y.from), y.to);
  return parts;
}
/** Ends that are cut by less say nothing: a delay moves them. */
const LEAST_MISSING_SECONDS = 0.25;

/** To a thousandth, never −0; what is no number is null. */
const rounded = (value: number | null | undefined): number | null =>
  value === null || value === undefined || !Number.isFinite(value) ? null : Math.round(value * 1000) / 1000 + 0;

function reportOf(
  hereFile: string,
  yonderFile: string,
  here: Sound,
  yonder: Sound,
  region: FrameRange,
  ladder: Ladder,
): ExplainReport {
  const rateHz = here.sampleRateHz;
  const isPlaced = ladder.problem === null;
  const levelDb = stepOf(ladder, "level")?.gainDb ?? 0;
  const averaged = isPlaced ? averagedOver(here, yonder, region, TONE_POINTS) : null;
  const tone = averaged && toneOf(averaged, levelDb ?? 0);
  const kind = isPlaced ? phaseTold(ladder.causes) : "unknown";
  const phased = isPlaced ? averagedOver(here, yonder, region, PHASE_POINTS) : null;
  const phase = phased && phaseOf(phased);
  const level = stepOf(ladder, "levelOverTime");
  const [first, second] = [stereoFigures(here, region), stereoFigures(yonder, region)];
  const gain = amplitudeFromDb(levelDb ?? 0);
  return {
    schema: "yonder-pair/explain@2",
    here: hereFile,
    yonder: yonderFile,
    region: {
      startSeconds: rounded(region.startFrame / rateHz) ?? 0,
      endSeconds: rounded(region.endFrame / rateHz) ?? 0,
    },
    ladder: ladder.steps.map((step) => rowOf(step)),
    judged: { seconds: rounded(ladder.judged.seconds) ?? 0, stretches: ladder.judged.stretches },
    tone: {
      hertz: tone ? tone.hertz.map((h) => rounded(h) ?? 0) : [],
      differenceDb: tone ? [...tone.differenceDb].map(rounded) : [],
      coherence: tone ? [...tone.coherence].map((c) => rounded(c) ?? 0) : [],
    },
    phase: {
      kind,
      hertz: phase ? [...phase.hertz].map((h) => rounded(h) ?? 0) : [],
      degrees: phase ? [...phase.degrees].map(rounded) : [],
      // No other filter has any, whatever a reading of averages may say.
      crossoversHertz:
        phase && (kind === "all-pass" || kind === "mixed") ? phase.crossoversHz.map((h) => rounded(h) ?? 0) : [],
    },
    dynamics: {
      crestHereDb: rounded(shapeOf(here, region).crestDb),
      crestYonderDb: rounded(shapeOf(yonder, region).crestDb),
      gainRangeDb: level ? rounded(level.rangeDb) : null,
    },
    stereo: {
      widthHereDb: rounded(first.widthDb),
      widthYonderDb: rounded(second.widthDb),
      correlationHere: rounded(first.correlation),
      correlationYonder: rounded(second.correlation),
    },
    telling: isPlaced
      ? heardDifference(here, yonder, region, gain).moments.map((m) => ({
          startSeconds: rounded(m.startSeconds) ?? 0,
          endSeconds: rounded(m.endSeconds) ?? 0,
          lowHertz: Math.round(m.lowHertz),
          highHertz: Math.round(m.highHertz),
          probability: rounded(m.probability) ?? 0,
          criterion: m.criterion,
          overMaskDb: rounded(m.overMaskDb) ?? 0,
        }))
      : [],
    problem: ladder.problem,
    identity: ladder.identity,
    exceptions: ladder.exceptions,
    causes: ladder.causes.map(roundedCause),
    alternatives: ladder.alternatives,
    sentence: explainSentence(ladder),
  };
}

/** Averaged spectra of a pair in segments of up to so many points, shorter where a region does not hold four; null where even the shortest do not fit. */
function averagedOver(here: Sound, yonder: Sound, region: FrameRange, most: number) {
  const frames = region.endFrame - region.startFrame;
  let points = most;
  // Four half overlapped ones take two and a half.
  while (points >= LEAST_POINTS && points * 2.5 > frames) points /= 2;
  return points >= LEAST_POINTS ? averagedSpectra([here, yonder], region, points) : null;
}

/** A cause with its figures to a thousandth. */
const roundedCause = (cause: CauseFound): CauseFound =>
  Object.fromEntries(
    Object.entries(cause).map(([key, value]) => [
      key,
      typeof value === "number"
        ? rounded(value)
        : Array.isArray(value)
          ? value.map((v: unknown) => (typeof v === "number" ? rounded(v) : v))
          : value,
    ]),
  ) as CauseFound;

function rowOf(step: Ladder["steps"][number]): ExplainReport["ladder"][number] {
  const residualDb = rounded(step.residualDb);
  switch (step.step) {
    case "time":
      return {
        step: "time",
        residualDb,
        delaySamples: rounded(step.delaySamples),
        polarity: step.polarity,
        driftPpm: rounded(step.driftPpm),
      };
    case "level":
      return { step: "level", residualDb, gainDb: rounded(step.gainDb), nullGainDb: rounded(step.nullGainDb) };
    case "tone":
      return { step: "tone", residualDb, fittedDb: rounded(step.fittedDb), taps: step.taps, crossed: step.isCrossed };
    case "levelOverTime": {
      const { bands, edgesHz, bell, isLinked, rangeDb } = step;
      return {
        step: "levelOverTime",
        residualDb,
        fittedDb: rounded(step.fittedDb),
        bands,
        edgesHertz: edgesHz,
        ...(bell ? { bell } : {}),
        linked: isLinked,
        rangeDb: rounded(rangeDb),
      };
    }
    case "bend": {
      const { evenDb, oddDb, folds, foldsByDb } = step;
      return {
        step: "bend",
        residualDb,
        fittedDb: rounded(step.fittedDb),
        evenDb: rounded(evenDb),
        oddDb: rounded(oddDb),
        folds,
        foldsByDb: rounded(foldsByDb),
      };
    }
    case "left":
      return { step: "left", residualDb, kinds: step.kinds.map((k) => ({ ...k, shareDb: rounded(k.shareDb) ?? 0 })) };
    default:
      return { step: step.step, residualDb };
  }
}
