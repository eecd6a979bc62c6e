import type { ChannelOrder } from "./channel-order";
import type { Place } from "./place";

/** Bounds wider than this are told in words, whatever the rate. */
const LARGE_ERROR_SECONDS = 0.00025;
/** Of the parts that hold sound, fewer than this on one line are told. */
const LEAST_AGREEING = 0.75;
/** Two that share less of their length than this are told. */
const LEAST_OVERLAP = 0.3;
/** Less of the render than this explained by the reference is told: a null of −3 dB. */
const LITTLE_SHARED = 0.5;
/** Where no more segments than this were to be had, frequencies that agree less than this are told: takes of one drum agree by as much (by trial). */
const FEW_SEGMENTS = 12;
const ALIKE_AGREEMENT = 0.85;
/** The other polarity must fit this much worse. */
const POLARITY_LEAD = 1.5;
/** More than this share of the third octaves speaking for the other polarity is told. */
const MOST_CONTRARY = 0.3;

const milliseconds = (samples: number, rate: number): string => `${((1000 * samples) / rate).toFixed(2)} ms`;

const samplesText = (samples: number): string => {
  const rounded = Math.round(10 * Math.abs(samples)) / 10;
  return `${rounded} ${rounded === 1 ? "sample" : "samples"}`;
};

/** Minutes and seconds: 0:07.48. */
const clock = (seconds: number): string => `${Math.floor(seconds / 60)}:${(seconds % 60).toFixed(2).padStart(5, "0")}`;

export const steadyToneDoubt = (period: number, rate: number): string =>
  `the passage is a steady tone: the delay is ambiguous every ${milliseconds(period, rate)}`;

export const otherPlaceDoubt = (laterSamples: number, rate: number): string =>
  `a place ${milliseconds(Math.abs(laterSamples), rate)} ${laterSamples > 0 ? "later" : "earlier"} fits nearly as well`;

/** What speaks against a place, the gravest first; none where nothing does. `overlap` is the part of the shorter one that lies on the other. */
export function doubtsOf(place: Place, order: ChannelOrder, overlap: number, rate: number): string[] {
  const doubts: string[] = [];
  const { jump, fit, agreeing, coherence, errorSamples } = place;
  if (jump) {
    const [from, to] = [jump.fromFrame / rate, jump.toFrame / rate];
    const what = jump.samples < 0 ? "samples are missing from it" : "it holds samples too many";
    doubts.push(
      `between ${clock(from)} and ${clock(to)} the render jumps by ${samplesText(jump.samples)}: ${what}, and no one delay serves`,
    );
  } else if (agreeing < LEAST_AGREEING) {
    doubts.push(`only ${Math.round(100 * agreeing)} % of the passage agrees on this delay`);
  }
  if (overlap < LEAST_OVERLAP) {
    doubts.push(`only ${Math.round(100 * overlap)} % of the shorter of the two lies on the other`);
  }
  if (order.rightLateSamples !== 0) {
    const [which, by] = [order.rightLateSamples > 0 ? "later" : "earlier", samplesText(order.rightLateSamples)];
    doubts.push(`the right channel is ${by} ${which} than the left one`);
  }
  if (coherence.renderShare < LITTLE_SHARED) {
    doubts.push(`only ${Math.round(100 * coherence.renderShare)} % of the render's sound is the dry render's`);
  }
  if (place.whole.segments < FEW_SEGMENTS && fit.agreement < ALIKE_AGREEMENT) {
    doubts.push("so little sound may be another take of the same one");
  }
  if (fit.otherMisfit < POLARITY_LEAD * fit.misfit || fit.contrary > MOST_CONTRARY) {
    doubts.push("the render's phase is turned so far that its polarity cannot be told");
  }
  if (order.orderDoubtful) doubts.push("whether left and right have changed places cannot be told");
  if (errorSamples > LARGE_ERROR_SECONDS * rate) {
    doubts.push(`the delay may be off by ${milliseconds(errorSamples, rate)}: what both share says little of it`);
  }
  return doubts;
}
