import { describe, expect, it } from "vitest";
import { frameCount } from "../audio/clip";
import { joined, silence, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { findOnsets } from "./onset";

describe("onsets", () => {
  it("are found where tones set in after silence, to a few samples", () => {
    const tone = sine({ hertz: 1000, peakDbfs: -6, seconds: 0.2, phaseDegrees: 90 });
    const onsets = findOnsets(joined(silence(0.5), tone, silence(0.4), tone), 8);
    expect(onsets).toHaveLength(2);
    expect(Math.abs(onsets[0].frame - 24_000)).toBeLessThan(5);
    expect(Math.abs(onsets[1].frame - 52_800)).toBeLessThan(5);
  });

  it("are as many as asked for, in time order and apart, on a recording", () => {
    const tabla = recording("tabla-44100");
    const onsets = findOnsets(tabla, 6);
    expect(onsets).toHaveLength(6);
    expect(Math.max(...onsets.map((o) => o.strength))).toBe(1);
    for (const [i, { frame }] of onsets.entries()) {
      expect(frame).toBeLessThan(frameCount(tabla));
      if (i > 0) expect(frame - onsets[i - 1].frame).toBeGreaterThan(0.1 * 44_100);
    }
  });

  it("are none in silence", () => {
    expect(findOnsets(silence(1), 5)).toEqual([]);
  });
});
