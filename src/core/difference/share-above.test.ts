import { describe, expect, it } from "vitest";
import { soundOf } from "../audio/sound";
import { added, sine } from "../stimuli/signals";
import { sharesAbove } from "./share-above";

describe("where a difference lies", () => {
  it("two tones of known level share their energy as they should", () => {
    const low = sine({ hertz: 1000, peakDbfs: -20, seconds: 1, channels: 1 });
    const high = sine({ hertz: 16_000, peakDbfs: -10, seconds: 1, channels: 1 });
    const shares = sharesAbove(soundOf(added(low, high)), [20_000, 15_000, 500]);
    expect(shares?.[0].share).toBeLessThan(1e-6);
    // Ten decibels more are ten elevenths of both.
    expect(shares?.[1].share).toBeCloseTo(10 / 11, 3);
    expect(shares?.[2].share).toBeCloseTo(1, 6);
  });

  it("silence and what is shorter than a window lie nowhere", () => {
    const none = sine({ hertz: 1000, peakDbfs: -400, seconds: 1, channels: 1 });
    for (const channel of none.channels) channel.fill(0);
    expect(sharesAbove(soundOf(none), [8000])).toBeNull();
    expect(sharesAbove(soundOf(sine({ hertz: 1000, peakDbfs: 0, seconds: 0.05, channels: 1 })), [8000])).toBeNull();
  });
});
