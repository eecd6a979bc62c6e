import { z } from "zod";
import { doubtSchema, notAlignedSchema } from "./doubts";

const polaritySchema = z.union([z.literal(1), z.literal(-1)]);
export type Polarity = z.infer<typeof polaritySchema>;

/** Where a render lies against its dry one, and what has to be undone to bring it there: found, or set by hand. */
export const placementSchema = z.object({
  /**
   * Samples of the dry render's rate by which the render is late at the dry render's first frame; negative when it is early.
   * Whole where nothing speaks for a fraction, so that bringing it aligned changes no sample.
   */
  delaySamples: z.number(),
  /** How fast that delay grows along the passage, parts per million; 0 where none can be distinguished from none, null where too little says anything of it. */
  driftPpm: z.number().nullable(),
  /** −1 where the left (or only) channel, or the right one, is inverted. */
  polarity: z.object({ left: polaritySchema, right: polaritySchema }),
  /** Left and right have changed places; polarity is that of the channels once they are back. */
  swapped: z.boolean(),
});
export type Placement = z.infer<typeof placementSchema>;

/** How a render lies against its dry one. */
export const alignmentSchema = z.discriminatedUnion("found", [
  placementSchema.extend({
    found: z.literal(true),
    /** The delay lies within this of the one reported: a bound, kept where the delay was snapped to a whole sample. */
    delayErrorSamples: z.number().min(0),
    /** The drift lies within this of the one reported; null with it. */
    driftErrorPpm: z.number().min(0).nullable(),
    /** 0 to 1: the agreement of frequencies and parts on it; a half at the most where there is a doubt. */
    confidence: z.number().min(0).max(1),
    /** Why the confidence is low, the gravest first; empty where it is not. */
    doubts: z.array(doubtSchema),
  }),
  z.object({ found: z.literal(false), reason: notAlignedSchema, confidence: z.number().min(0).max(1) }),
]);
export type Alignment = z.infer<typeof alignmentSchema>;
export type FoundAlignment = Extract<Alignment, { found: true }>;

/** Raise when any delay, polarity, drift or confidence would come out differently. */
export const ALIGNMENT_VERSION = 7;

/** Nothing to undo. */
export const AS_IT_IS: Placement = {
  delaySamples: 0,
  driftPpm: 0,
  polarity: { left: 1, right: 1 },
  swapped: false,
};

/** The dry render against itself. */
export const IN_STEP: FoundAlignment = {
  ...AS_IT_IS,
  found: true,
  delayErrorSamples: 0,
  driftErrorPpm: 0,
  confidence: 1,
  doubts: [],
};

/** What is to be undone; nothing where no place was found. */
export const placementOf = (alignment: Alignment): Placement => (alignment.found ? alignment : AS_IT_IS);

/** How one render lies against another, both aligned to one dry render. Polarity is that of the left (or only) channels, and of the right ones. */
export const placedBetween = (first: Placement, second: Placement) => ({
  delaySamples: second.delaySamples - first.delaySamples,
  polarity: (first.polarity.left * second.polarity.left) as Polarity,
  polarityRight: (first.polarity.right * second.polarity.right) as Polarity,
  swapped: first.swapped !== second.swapped,
  driftPpm: (second.driftPpm ?? 0) - (first.driftPpm ?? 0),
});

/** Frame of the render that falls on a frame of the dry one. */
export const renderFrameAt = ({ delaySamples, driftPpm }: Placement, dryFrame: number): number =>
  dryFrame + delaySamples + (driftPpm ?? 0) * 1e-6 * dryFrame;
