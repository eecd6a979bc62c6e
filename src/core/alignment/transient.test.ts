import { describe, expect, it } from "vitest";
import { frameCount } from "../audio/clip";
import { joined, silence, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { findTransients } from "./transient";

describe("onsets", () => {
  it("are found where tones set in after silence, to a few samples", () => {
    const tone = sine({ hertz: 1000, peakDbfs: -6, seconds: 0.2, phaseDegrees: 90 });
    const transients = findTransients(joined(silence(0.5), tone, silence(0.4), tone), 8);
    expect(transients).toHaveLength(2);
    expect(Math.abs(transients[0].frame - 24_000)).toBeLessThan(5);
    expect(Math.abs(transients[1].frame - 52_800)).toBeLessThan(5);
  });

  it("are as many as asked for, in time order and apart, on a recording", () => {
    const tabla = recording("tabla-44100");
    const transients = findTransients(tabla, 6);
    expect(transients).toHaveLength(6);
    expect(Math.max(...transients.map((o) => o.strength))).toBe(1);
    for (const [i, { frame }] of transients.entries()) {
      expect(frame).toBeLessThan(frameCount(tabla));
      if (i > 0) expect(frame - transients[i - 1].frame).toBeGreaterThan(0.1 * 44_100);
    }
  });

  it("are none in silence", () => {
    expect(findTransients(silence(1), 5)).toEqual([]);
  });
});
