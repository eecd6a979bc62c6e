import { z } from "zod";
import type { ChannelOrder } from "./channel-order";
import type { Place } from "./place";

/** What speaks against a place, as facts; `core/words/alignment.ts` makes sentences of them. */
export const doubtSchema = z.discriminatedUnion("kind", [
  /** A steady tone fits again after every period. */
  z.object({ kind: z.literal("steady tone"), everyMs: z.number() }),
  /** Another place fits nearly as well; positive is later. */
  z.object({ kind: z.literal("other place"), laterMs: z.number() }),
  /** Samples were lost (negative) or repeated between two times of the dry render. */
  z.object({ kind: z.literal("jump"), fromSeconds: z.number(), toSeconds: z.number(), samples: z.number() }),
  /** Share of the passage's parts that agree on the delay. */
  z.object({ kind: z.literal("few parts agree"), share: z.number() }),
  /** Share of the shorter render that overlaps the other. */
  z.object({ kind: z.literal("short overlap"), share: z.number() }),
  /** Delay of the right channel re the left one, samples. */
  z.object({ kind: z.literal("channel delay"), rightLateSamples: z.number() }),
  /** Share of the render's energy that is coherent with dry. */
  z.object({ kind: z.literal("little coherent"), share: z.number() }),
  z.object({ kind: z.literal("little sound") }),
  z.object({ kind: z.literal("polarity unknown") }),
  z.object({ kind: z.literal("channel order unknown") }),
  z.object({ kind: z.literal("delay error"), ms: z.number() }),
]);
export type Doubt = z.infer<typeof doubtSchema>;

/** Why no place was found. `percent`: how much slower (positive) or faster the render runs. */
export const notAlignedSchema = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("unlike") }),
  z.object({ kind: z.literal("dry silent") }),
  z.object({ kind: z.literal("render silent") }),
  z.object({ kind: z.literal("no single delay") }),
  z.object({ kind: z.literal("other speed"), percent: z.number() }),
]);
export type NotAligned = z.infer<typeof notAlignedSchema>;

/** Bounds wider than this are a doubt, whatever the rate. */
const LARGE_ERROR_SECONDS = 0.00025;
/** Of the parts that hold sound, fewer than this on one line are a doubt. */
const LEAST_AGREEING = 0.75;
/** So is an overlap of less than this of the shorter one. */
const LEAST_OVERLAP = 0.3;
/** Less of the render than this explained by the reference is a doubt: a null of −3 dB. */
const LITTLE_SHARED = 0.5;
/** Where no more segments than this were to be had, frequencies that agree less than this are a doubt: takes of one drum agree by as much (by trial). */
const FEW_SEGMENTS = 12;
const ALIKE_AGREEMENT = 0.85;
/** The other polarity must fit this much worse. */
const POLARITY_LEAD = 1.5;
/** More than this share of the third octaves speaking for the other polarity is a doubt. */
const MOST_CONTRARY = 0.3;

const milliseconds = (samples: number, rateHz: number): number => (1000 * samples) / rateHz;

export const steadyToneDoubt = (periodSamples: number, rateHz: number): Doubt => ({
  kind: "steady tone",
  everyMs: milliseconds(periodSamples, rateHz),
});

export const otherPlaceDoubt = (laterSamples: number, rateHz: number): Doubt => ({
  kind: "other place",
  laterMs: milliseconds(laterSamples, rateHz),
});

/** What speaks against a place, the gravest first; none where nothing does. `overlap` is the part of the shorter one that lies on the other. */
export function doubtsOf(place: Place, order: ChannelOrder, overlap: number, rateHz: number): Doubt[] {
  const doubts: Doubt[] = [];
  const { jump, fit, agreeing, coherence, errorSamples } = place;
  if (jump) {
    const [fromSeconds, toSeconds] = [jump.fromFrame / rateHz, jump.toFrame / rateHz];
    doubts.push({ kind: "jump", fromSeconds, toSeconds, samples: jump.samples });
  } else if (agreeing < LEAST_AGREEING) {
    doubts.push({ kind: "few parts agree", share: agreeing });
  }
  if (overlap < LEAST_OVERLAP) doubts.push({ kind: "short overlap", share: overlap });
  if (order.rightLateSamples !== 0) doubts.push({ kind: "channel delay", rightLateSamples: order.rightLateSamples });
  if (coherence.renderShare < LITTLE_SHARED) doubts.push({ kind: "little coherent", share: coherence.renderShare });
  if (place.whole.segments < FEW_SEGMENTS && fit.agreement < ALIKE_AGREEMENT) doubts.push({ kind: "little sound" });
  if (fit.otherMisfit < POLARITY_LEAD * fit.misfit || fit.contrary > MOST_CONTRARY) {
    doubts.push({ kind: "polarity unknown" });
  }
  if (order.orderDoubtful) doubts.push({ kind: "channel order unknown" });
  if (errorSamples > LARGE_ERROR_SECONDS * rateHz) {
    doubts.push({ kind: "delay error", ms: milliseconds(errorSamples, rateHz) });
  }
  return doubts;
}
