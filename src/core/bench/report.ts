import { z } from "zod";
import { phaseKindSchema } from "../spectrum/phase-kind";
import { integrityFindingSchema } from "./integrity/integrity";
import { kindSchema } from "./kind/kind";
import { CHANNELS } from "./read/parts";
import { sidechainResponseSchema } from "./read/sidechain-response";
import { sweepPictureSchema } from "./read/sweep-picture";
import { REASONS } from "./reasons";
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
  /** What aliased, and other lines off the harmonics, over the fundamental. */
  aliasDb: decibels,
  aliasErrorDb: decibels,
});
export type BenchTone = z.infer<typeof toneSchema>;

/** A magnitude that noise moves by more than this (dB, one standard deviation) has no normal distribution in dB: it shows nothing, and nothing is fitted to it. */
export const KNOWN_DB = 0.5;

/** A fundamental that is less than this was taken off with the noise around it: nothing is known of it (dBFS). */
const IN_NOISE_DBFS = -200;
export const knownDbfs = ({ outDbfs }: Pick<BenchTone, "outDbfs">): number | null =>
  outDbfs > IN_NOISE_DBFS ? outDbfs : null;

const fittedBandSchema = z.object({
  kind: z.enum(FITTED_KINDS),
  hertz: z.number(),
  gainDb: decibels,
  q: z.number().nullable(),
  slopeDbPerOctave: z.number().nullable(),
  /** One standard deviation of each number that a band has; none in measurements of earlier versions, and of bands that were set and not measured. */
  errors: z.object({ hertz: z.number(), gainDb: z.number().nullable(), q: z.number().nullable() }).optional(),
});

/** One band of an equalizer as its curve tells it. A cut has a slope, everything else a gain and a Q. */
export type FittedBand = z.infer<typeof fittedBandSchema>;

const staticCurveSchema = z.object({
  thresholdDbfs: z.number().nullable(),
  ratio: z.number().nullable(),
  kneeDb: z.number().nullable(),
  gainDb: z.number(),
  misfitDb: z.number().nullable(),
  points: z.array(z.object({ inDbfs: z.number(), outDbfs: z.number() })),
  /** One standard deviation of each; none in measurements of earlier versions, null where no model tells them. */
  errors: z.object({ thresholdDb: z.number(), ratio: z.number(), kneeDb: z.number() }).nullable().optional(),
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
  lookAheadMs: milliseconds,
  linkShare: z.number().nullable(),
  /** One standard deviation of each time that is reported; none in measurements of earlier versions. */
  errorsMs: z
    .object({ attack: milliseconds, release: milliseconds, hold: milliseconds, lookAhead: milliseconds })
    .optional(),
  course: z.object({ ms: numbers, gainDb: numbers }),
});

const twinSchema = z.object({
  hertz: z.tuple([z.number(), z.number()]),
  secondPercent: percent,
  thirdPercent: percent,
});

/** Raise when any figure of a measurement would come out differently. */
export const BENCH_VERSION = 9;

/** What a figure is not reported of, and why: of one channel, or of all. */
export const WITHHELD_FIGURES = [
  "latency",
  "response",
  "bands",
  "phase",
  "noise",
  "harmonics",
  "aliasing",
  "intermodulation",
  "staticCurve",
  "times",
  "besideTone",
  "passes",
  "null",
  "kind",
  "channels",
] as const;
const withheldSchema = z.object({
  figure: z.enum(WITHHELD_FIGURES),
  channel: z.enum(CHANNELS).nullable(),
  reason: z.enum(REASONS),
});
export type Withheld = z.infer<typeof withheldSchema>;

const bandMoves = z.object({
  kind: z.enum(["none", "whole band", "split bands", "bell", "unclear"]),
  edgesHz: numbers,
  hertz: numbers,
  tones: z.array(z.object({ loudHz: z.number(), changeDb: z.array(decibels) })),
});

/** What is reported of one channel. Null or an empty list where something does not apply, or is withheld. */
export const channelFiguresSchema = z.object({
  /** Null where nothing says when the signal was sent. */
  latencySamples: z.number().nullable(),
  latencyErrorSamples: z.number(),
  polarity: z.union([z.literal(1), z.literal(-1)]),
  gainDbAt1k: z.number(),
  noiseFloorDbfs: decibels,
  transparent: z.enum(["yes", "no"]),
  addsDb: decibels,
  passesApartDb: decibels,
  response: responseSchema,
  /** Which sweep the response was read from. */
  responseLevelDbfs: z.number(),
  /** Magnitudes of the same frequencies at other levels, each with one standard deviation; none in measurements of earlier versions. */
  levels: z.array(z.object({ levelDbfs: z.number(), magnitudeDb: numbers, errorDb: numbers.optional() })),
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
  /** The long tone near 1 kHz first, then the ladder at rising levels, then tones over frequency. */
  harmonics: z.array(toneSchema),
  /** A tone of about a fifth of the rate at rising levels. */
  highTones: z.array(toneSchema),
  aliasDb: decibels,
  modulation: twinSchema,
  differenceTone: twinSchema,
  static: staticCurveSchema.nullable(),
  /** The same curve on sines, whose magnitude moves through each turn. */
  staticOnSine: staticCurveSchema.nullable(),
  /** Level out over level in of tones at a low, a middle and a high frequency. */
  bandCurves: z.array(
    z.object({ hertz: z.number(), points: z.array(z.object({ inDbfs: z.number(), outDbfs: z.number() })) }),
  ),
  times: timesSchema.nullable(),
  moves: bandMoves,
  kind: kindSchema,
});
export type ChannelFigures = z.infer<typeof channelFiguresSchema>;

/** In what a channel can differ from the first. */
export const DIFFERENCES = [
  "silent",
  "delay",
  "polarity",
  "gain",
  "response",
  "phase",
  "noise",
  "harmonics",
  "staticCurve",
  "times",
  "linking",
  "kind",
] as const;
const channelSchema = z.object({
  channel: z.enum(CHANNELS),
  /** Empty where it agrees with the first one reported; silent ones come last. */
  differs: z.array(z.enum(DIFFERENCES)),
  /** How much later it comes than the first, samples; null where it is silent. */
  delaySamples: z.number().nullable(),
  /** Null where it agrees with the first one, whose figures stand beside this list. */
  figures: channelFiguresSchema.nullable(),
});
export type BenchChannel = z.infer<typeof channelSchema>;

/** Everything that a test signal tells of a processor; figures are those of the first of `channels`: left, or right where left alone is silent. */
export const benchReportSchema = channelFiguresSchema.extend({
  schema: z.literal("yonder-pair/bench@2"),
  signal: signalFormSchema,
  swapped: z.boolean(),
  /** When the signal's first frame arrives in a recording, samples at the signal's rate from its beginning; null of what was made here. */
  arrivalSamples: z.number().nullable(),
  clockPpm: z.number(),
  hum: z.object({ hertz: z.number(), dbfs: z.number() }).nullable(),
  wordLengthBits: z.number().int().nullable(),
  crosstalkDb: decibels,
  /** Right re left; mid and side; null with one channel. */
  rightOverLeftDb: numbers.nullable(),
  midDb: numbers.nullable(),
  sideDb: numbers.nullable(),
  /** What was read of each channel; empty in measurements of the first version, which read the left one alone. */
  channels: z.array(channelSchema),
  integrity: z.array(integrityFindingSchema),
  withheld: z.array(withheldSchema),
  /** What an external key does; only of chains made here, and null where nothing in one takes a key. */
  key: sidechainResponseSchema.nullable().optional(),
  /** What came back over what was sent; none in measurements kept by the first version. */
  picture: sweepPictureSchema.optional(),
  remarks: z.array(z.string()),
  sentences: z.array(z.string()),
});
export type BenchReport = z.infer<typeof benchReportSchema>;

/** A report with the figures of one of its channels, and what is withheld of it, in place of the first one's; as it is where they agree, or where that channel is silent. */
export function reportOfChannel(report: BenchReport, channel: BenchChannel["channel"]): BenchReport {
  const own = report.channels.find((c) => c.channel === channel && !c.differs.includes("silent"));
  if (!own?.figures) return report;
  const withheld = report.withheld.filter((w) => w.channel === null || w.channel === channel);
  return { ...report, ...own.figures, withheld: withheld.map((w) => ({ ...w, channel: null })) };
}

/** What a file of figures holds: all but the picture, which is saved from its chart. */
export const figuresOnly = ({ picture: _, ...report }: BenchReport): BenchReport => report;
