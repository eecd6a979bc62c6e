import { z } from "zod";
import type { FrameRange, Sound } from "../audio/sound";
import { type Exception, exceptionSchema, identitySchema } from "../survey/survey";
import { bellSchema, causeSchema } from "./causes";
import { foundSchema } from "./found-chain";
import { leftPartSchema } from "./residual-parts";

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
        bell: bellSchema.optional(),
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
  /** What was found, as it is applied to Here; null where there is nothing to apply. */
  found: foundSchema.nullable(),
  /** Input vs output of the saturation, in parts of full scale; empty where there is none. */
  curve: z.array(z.object({ inFs: z.number(), outFs: z.number() })),
  /** Whether what follows level can be worked out: both sound, and long enough. */
  problem: z.string().nullable(),
  /** Whether every sample is the same, and how much of the region both cover. */
  identity: identitySchema,
  /** Where what is reported of the rest does not hold. */
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

/** A pair to be explained. */
export type LadderTask = {
  /** As they came, at one rate. */
  delivered: { here: Sound; yonder: Sound };
  aligned: { here: Sound; yonder: Sound };
  /** Frames both cover, aligned. */
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
