import { z } from "zod";
import { type PhaseKind, phaseKindSchema } from "../spectrum/phase-kind";

const figure = z.number().nullable();

export const causeChannelsSchema = z.enum(["both", "left", "right", "mid", "side"]);
export type CauseChannels = z.infer<typeof causeChannelsSchema>;

const cause = <Name extends string, Shape extends z.ZodRawShape>(name: Name, shape: Shape) =>
  z.object({
    cause: z.literal(name),
    channels: causeChannelsSchema,
    /** What the explanation loses without it, dB; null where that is not measurable. */
    worthDb: figure,
    ...shape,
  });

export const eqBandSchema = z.object({
  kind: z.enum(["bell", "low shelf", "high shelf", "low cut", "high cut"]),
  hertz: z.number(),
  gainDb: figure,
  q: figure,
  slopeDbPerOctave: figure,
  /** Two standard errors of the curve at that frequency, dB; null where it is not known. */
  errorDb: figure,
});
export type EqBand = z.infer<typeof eqBandSchema>;

/** What sets two sounds apart, one by one. All figures are Yonder − Here. */
/** Centre and Q of a bell. */
export const bellSchema = z.object({ hertz: z.number(), q: z.number() });

export const causeSchema = z.discriminatedUnion("cause", [
  cause("delay", { samples: z.number() }),
  cause("drift", { ppm: z.number() }),
  cause("polarity", {}),
  cause("swap", {}),
  /** R/L balance, dB. */
  cause("balance", { balanceDb: z.number() }),
  /** Side over mid, dB; null where the side is gone. */
  cause("width", { widthDb: figure }),
  cause("crosstalk", {}),
  /** By energy in what goes together; beside it the gain of the deepest null. */
  cause("level", { levelDb: z.number(), nullGainDb: figure }),
  cause("eq", {
    /** Without the flat gain; null where it is not known to a decibel. */
    hertz: z.array(z.number()),
    gainDb: z.array(figure),
    errorDb: z.array(figure),
    phase: phaseKindSchema,
    bands: z.array(eqBandSchema),
    /** The largest change at a known frequency. */
    mostDb: z.number(),
    mostHertz: z.number(),
    /** Before or after what else is in the chain; null where it is alone, or the order is not known. */
    place: z.enum(["before", "after"]).nullable(),
  }),
  /** Range: from the 5th to the 95th percentile of the moments that sound. */
  cause("gainOverTime", { rangeDb: figure }),
  /** `bell`: a bell alone moves, as of a dynamic equalizer. */
  cause("gainInBands", { rangeDb: figure, edgesHertz: z.array(z.number()), bell: bellSchema.optional() }),
  /** Even and odd parts over Yonder, dB. */
  cause("saturation", { evenDb: figure, oddDb: figure, aliasing: z.boolean().nullable(), aliasingLeadDb: figure }),
  cause("reverb", { seconds: z.number() }),
  cause("echo", { milliseconds: z.number() }),
  cause("dc", { fullScale: z.number() }),
  cause("line", { hertz: z.number(), levelDbfs: z.number() }),
  cause("hum", { hertz: z.number(), levelDbfs: z.number() }),
  cause("noise", { residualDb: z.number() }),
  cause("wordLength", { bits: z.number(), dither: z.boolean() }),
  cause("coding", {}),
  cause("edit", {
    what: z.enum(["muted", "only Yonder", "bypassed", "click", "different", "missing in Here", "missing in Yonder"]),
    startSeconds: z.number(),
    endSeconds: z.number(),
  }),
  cause("unexplained", { residualDb: figure }),
]);
export type CauseFound = z.infer<typeof causeSchema>;
export type CauseName = CauseFound["cause"];
export type EqCause = Extract<CauseFound, { cause: "eq" }>;

/** The causes of a name. */
export const causesOf = <Name extends CauseName>(causes: readonly CauseFound[], name: Name) =>
  causes.filter((c): c is Extract<CauseFound, { cause: Name }> => c.cause === name);

/** The kind of phase of what filters a pair: of the equalizer that is worth most, none where nothing has to be a filter, unknown where no processing explains the pair. */
export const phaseTold = (causes: readonly CauseFound[]): PhaseKind =>
  causesOf(causes, "eq")[0]?.phase ?? (causesOf(causes, "unexplained").length > 0 ? "unknown" : "none");
