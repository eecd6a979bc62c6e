import { z } from "zod";
import { phaseKindSchema } from "../spectrum/phase-kind";
import { keyResponseSchema } from "./read/key-response";
import { sweepPictureSchema } from "./read/sweep-picture";
import { signalFormSchema } from "./signal/signal-plan";

/** What a fitted band can be. */
export const FITTED_KINDS = ["bell", "low shelf", "high shelf", "low cut", "high cut"] as const;

const decibels = z.number().nullable();
const percent = z.number().min(0).nullable();
const numbers = z.array(z.number());

const responseSchema = z.object({
  hertz: numbers,
  magnitudeDb: numbers,
  /** Delay and polarity taken off. */
  phaseDegrees: numbers,
  groupDelayMs: numbers,
  /** What noise may move a magnitude by, one standard deviation. */
  errorDb: numbers,
});

const toneSchema = z.object({
  hertz: z.number(),
  levelDbfs: z.number(),
  outDbfs: z.number(),
  /** H2 to H10 over the fundamental; null where noise hides one or it would lie beyond half the rate. */
  partialsDb: z.array(decibels),
  partialErrorsDb: z.array(decibels),
  thdPercent: percent,
  thdNoisePercent: percent,
  /** What folded back, and other lines off the harmonics, over the fundamental. */
  aliasDb: decibels,
  aliasErrorDb: decibels,
});
export type BenchTone = z.infer<typeof toneSchema>;

const fittedBandSchema = z.object({
  kind: z.enum(FITTED_KINDS),
  hertz: z.number(),
  gainDb: decibels,
  q: z.number().nullable(),
  slopeDbPerOctave: z.number().nullable(),
});

/** One band of an equalizer as its curve tells it. A cut has a slope, everything else a gain and a Q. */
export type FittedBand = z.infer<typeof fittedBandSchema>;

const lawSchema = z.object({
  thresholdDbfs: z.number().nullable(),
  ratio: z.number().nullable(),
  kneeDb: z.number().nullable(),
  gainDb: z.number(),
  misfitDb: z.number().nullable(),
  points: z.array(z.object({ inDbfs: z.number(), outDbfs: z.number() })),
});

const milliseconds = z.number().nullable();
const timesSchema = z.object({
  attackMs: milliseconds,
  attackWithin1DbMs: milliseconds,
  releaseMs: milliseconds,
  releaseWithin1DbMs: milliseconds,
  releaseAfterShortMs: milliseconds,
  reductionDb: z.number(),
  shortReductionDb: z.number(),
  overshootDb: z.number(),
  undershootDb: z.number(),
  holdMs: z.number(),
  lookAheadMs: z.number(),
  linkShare: z.number().nullable(),
  course: z.object({ ms: numbers, gainDb: numbers }),
});

const twinSchema = z.object({
  hertz: z.tuple([z.number(), z.number()]),
  secondPercent: percent,
  thirdPercent: percent,
});

/** Raise when any figure of a measurement would come out differently. */
export const BENCH_VERSION = 2;

/** Everything that a test signal tells of a processor. Null or an empty list where something does not apply. */
export const benchReportSchema = z.object({
  schema: z.literal("yonder-pair/bench@1"),
  signal: signalFormSchema,
  latencySamples: z.number(),
  latencyErrorSamples: z.number(),
  polarity: z.union([z.literal(1), z.literal(-1)]),
  swapped: z.boolean(),
  gainDbAt1k: z.number(),
  clockPpm: z.number(),
  noiseFloorDbfs: decibels,
  hum: z.object({ hertz: z.union([z.literal(50), z.literal(60)]), dbfs: z.number() }).nullable(),
  transparent: z.enum(["yes", "no"]),
  addsDb: decibels,
  passesApartDb: decibels,
  wordLengthBits: z.number().int().nullable(),
  crosstalkDb: decibels,
  response: responseSchema,
  /** Which sweep the response was read from. */
  responseLevelDbfs: z.number(),
  /** Magnitudes of the same frequencies at other levels. */
  levels: z.array(z.object({ levelDbfs: z.number(), magnitudeDb: numbers })),
  /** Right over left; mid and side; null with one channel. */
  rightOverLeftDb: numbers.nullable(),
  midDb: numbers.nullable(),
  sideDb: numbers.nullable(),
  impulse: z.object({ fromMs: z.number(), levelsDb: numbers, sampleRateHz: z.number() }),
  phaseKind: phaseKindSchema,
  crossoversHz: numbers,
  rotationDegrees: z.number(),
  fitted: z.array(fittedBandSchema),
  fittedGainDb: z.number(),
  /** What the fitted bands leave of the curve: effective value and most. */
  fitMisfitDb: z.number(),
  fitMostDb: z.number(),
  realised: z.enum(["analogue", "bilinear"]).nullable(),
  harmonics: z.array(toneSchema),
  /** A tone of about a fifth of the rate at rising levels. */
  highTones: z.array(toneSchema),
  aliasDb: decibels,
  modulation: twinSchema,
  differenceTone: twinSchema,
  static: lawSchema.nullable(),
  /** The same law on sines, whose magnitude moves through each turn. */
  staticOnSine: lawSchema.nullable(),
  times: timesSchema.nullable(),
  moves: z.object({
    kind: z.enum(["none", "whole band", "split bands", "bell", "unclear"]),
    edgesHz: numbers,
    hertz: numbers,
    tones: z.array(z.object({ loudHz: z.number(), changeDb: z.array(decibels) })),
  }),
  /** What an external key does; only of chains made here, and null where nothing in one takes a key. */
  key: keyResponseSchema.nullable().optional(),
  /** What came back over what was sent; none in measurements kept by the first version. */
  picture: sweepPictureSchema.optional(),
  remarks: z.array(z.string()),
  sentences: z.array(z.string()),
});
export type BenchReport = z.infer<typeof benchReportSchema>;

/** What a file of figures holds: all but the picture, which is saved from its chart. */
export const figuresOnly = ({ picture: _, ...report }: BenchReport): BenchReport => report;
