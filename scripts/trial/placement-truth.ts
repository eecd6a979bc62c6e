// What is true of where a recording lies.
import type { Doubt, NotAligned } from "@/core/alignment/doubts";
import type { Clip } from "@/core/audio/clip";

export type Truth =
  /** One placement is right. `withinSamples` is what the processor's own nature leaves open. */
  | {
      answer: "placed";
      delaySamples: number;
      polarity?: [1 | -1, 1 | -1];
      swapped?: boolean;
      ppm?: number;
      withinSamples?: number;
      /** A doubt of this kind is right as well: what is true of it is not in the sound. */
      orDoubt?: Doubt["kind"] | NotAligned["kind"];
    }
  /** No single placement is right; it is to be reported in words like these, or not found. */
  | { answer: "told"; words: RegExp }
  | { answer: "strangers" };

export type Case = { group: string; name: string; make: () => { reference: Clip; render: Clip }; truth: Truth };

export const placed = (delaySamples: number, more: Partial<Extract<Truth, { answer: "placed" }>> = {}): Truth => ({
  answer: "placed",
  delaySamples,
  ...more,
});
