import { z } from "zod";
import type { Chain } from "./chain-fit";
import { levelFormOf } from "./level-fit";

const responses = z
  .array(z.array(z.instanceof(Float64Array)).min(1).max(2))
  .min(1)
  .max(2);
const filterSchema = z.object({
  /** By output channel, then by what it hears: its own channel, or left and right. */
  responses,
  /** The tap that counts as time zero. */
  lead: z.number().int().min(0),
});
export type FoundFilter = z.infer<typeof filterSchema>;

/** What was found between Here and Yonder, ready to be worn by Here. */
export const foundSchema = z.object({
  tone: filterSchema,
  /** What undoes the filter, where it comes last and there is a gain over time before it. */
  inverse: filterSchema.nullable(),
  level: z
    .object({ edgesHz: z.array(z.number()), isLinked: z.boolean(), knotFrames: z.array(z.number().int().positive()) })
    .nullable(),
  bend: z
    .object({ reach: z.number(), knots: z.instanceof(Float64Array), oversampling: z.number().int().positive() })
    .nullable(),
  toneIsLast: z.boolean(),
  bendIsFirst: z.boolean(),
  /** Gains that leave least with only the first parts worn. */
  gains: z.object({ level: z.number(), tone: z.number(), levelOverTime: z.number() }),
});
export type Found = z.infer<typeof foundSchema>;

/** Up to which step Here wears what was found. */
export const wornStepSchema = z.enum(["level", "tone", "levelOverTime", "bend"]);
export type WornStep = z.infer<typeof wornStepSchema>;

/** A chain as it is kept. */
export function foundOf(chain: Chain, gains: Found["gains"], inverse: Chain["tone"] | null): Found {
  const filterOf = ({ filters, lead }: Chain["tone"]) => ({
    responses: filters.map((f) => f.responses.map((h) => h.slice())),
    lead,
  });
  return {
    tone: filterOf(chain.tone),
    inverse: inverse && filterOf(inverse),
    level: chain.level && levelFormOf(chain.level),
    bend: chain.bend && { ...chain.bend.curve, knots: chain.bend.curve.knots.slice() },
    toneIsLast: chain.toneIsLast,
    bendIsFirst: chain.bendIsFirst,
    gains,
  };
}
