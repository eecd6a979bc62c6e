import { z } from "zod";

/** How a render lies against its dry one. */
export const alignmentSchema = z.discriminatedUnion("found", [
  z.object({
    found: z.literal(true),
    /** Whole samples at the dry render's rate; positive when the render is late. */
    delaySamples: z.number().int(),
    polarity: z.union([z.literal(1), z.literal(-1)]),
    /** How fast the delay grows along the passage, parts per million; null when the passage is too short to tell. */
    driftPpm: z.number().nullable(),
    /** 0 to 1: the peak's lead over the next best place, or the agreement of all frequencies on it, whichever is less. */
    confidence: z.number().min(0).max(1),
  }),
  z.object({ found: z.literal(false), reason: z.string(), confidence: z.number().min(0).max(1) }),
]);
export type Alignment = z.infer<typeof alignmentSchema>;

/** Raise when any delay, polarity, drift or confidence would come out differently. */
export const ALIGNMENT_VERSION = 1;

/** The dry render against itself. */
export const IN_STEP: Alignment = { found: true, delaySamples: 0, polarity: 1, driftPpm: 0, confidence: 1 };
