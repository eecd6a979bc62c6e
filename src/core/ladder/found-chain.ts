import { z } from "zod";
import { bellSchema } from "./causes";
import type { Stage } from "./stages";

const taps = z.instanceof(Float64Array);
const filterSchema = z.object({
  /** By output channel, then by what it hears: its own channel, or both. */
  responses: z.array(z.array(taps).min(1).max(2)).min(1).max(2),
  /** The tap that counts as time zero. */
  lead: z.number().int().min(0),
});
export type FoundFilter = z.infer<typeof filterSchema>;

const biquadSchema = z.object({ b0: z.number(), b1: z.number(), b2: z.number(), a1: z.number(), a2: z.number() });

const stageSchema = z.discriminatedUnion("kind", [
  z.object({
    kind: z.literal("filter"),
    filter: filterSchema,
    /** What undoes it, where a gain over time comes before it. */
    inverse: filterSchema.nullable(),
  }),
  z.object({ kind: z.literal("cascade"), sections: z.array(z.array(biquadSchema)), inverse: filterSchema.nullable() }),
  z.object({
    kind: z.literal("gain"),
    edgesHz: z.array(z.number()),
    /** Where a bell alone moves. */
    bell: bellSchema.optional(),
    isLinked: z.boolean(),
    knotFrames: z.number().int().positive(),
  }),
  z.object({
    kind: z.literal("saturation"),
    curves: z.array(z.object({ reach: z.number(), knots: taps, oversampling: z.number().int().positive() })),
  }),
]);
export type FoundStage = z.infer<typeof stageSchema>;

/** What was found between Here and Yonder, ready to be applied to Here: gains over time are worked out again over all of a region. */
export const foundSchema = z.object({
  /** What the channels of the stages are. */
  domain: z.enum(["left-right", "mid-side"]),
  /** A side of Yonder that is late against Here's (or early, where negative), and by how much; 0 where none is. */
  movedSide: z.object({ side: z.enum(["left", "right"]), samples: z.number() }),
  stages: z.array(stageSchema),
  /** Gains that leave least with the stages up to each step alone. */
  gains: z.object({ level: z.number(), tone: z.number(), levelOverTime: z.number() }),
});
export type Found = z.infer<typeof foundSchema>;

/** Up to which step Here has what was found applied. */
export const appliedStepSchema = z.enum(["level", "tone", "levelOverTime", "bend"]);
export type AppliedStep = z.infer<typeof appliedStepSchema>;

/** Kinds of stages that are applied up to each step. */
export const STEP_KINDS: Record<AppliedStep, readonly Stage["kind"][]> = {
  level: [],
  tone: ["filter", "cascade"],
  levelOverTime: ["filter", "cascade", "gain"],
  bend: ["filter", "cascade", "gain", "saturation"],
};

/** A stage as it is kept; `inverse` undoes a filter. */
export function foundStage(stage: Stage, inverse: FoundFilter | null): FoundStage {
  switch (stage.kind) {
    case "filter": {
      const { filters, lead } = stage.eq;
      return {
        kind: "filter",
        filter: { responses: filters.map((f) => f.responses.map((h) => h.slice())), lead },
        inverse,
      };
    }
    case "cascade":
      return { kind: "cascade", sections: stage.sections, inverse };
    case "gain":
      return {
        kind: "gain",
        edgesHz: stage.gain.edgesHz,
        ...(stage.gain.bell ? { bell: stage.gain.bell } : {}),
        isLinked: stage.gain.isLinked,
        knotFrames: stage.gain.fits[0][0].curve.knotFrames,
      };
    case "saturation":
      return { kind: "saturation", curves: stage.curves.map((c) => ({ ...c, knots: c.knots.slice() })) };
  }
}
