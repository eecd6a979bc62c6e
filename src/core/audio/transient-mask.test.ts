import { describe, expect, it } from "vitest";
import { joined, noise, silence, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import type { Clip } from "./clip";
import { soundOf } from "./sound";
import { transientMask } from "./transient-mask";

const maskOf = (clip: Clip): Float32Array => {
  const sound = transientMask(soundOf(clip));
  return sound.read(0, sound.frames)[0];
};
const highest = (values: Float32Array) => values.reduce((a, b) => Math.max(a, b), 0);

describe("onsets and what sustains", () => {
  it.each([50, 200, 1000, 9000])("a steady tone of %i Hz is no onset once it stands", (hertz) => {
    const mask = maskOf(sine({ hertz, peakDbfs: -12, seconds: 2, channels: 2 }));
    expect(highest(mask.subarray(24_000))).toBeLessThan(0.05);
  });

  it("steady noise, silence and what lies under −90 dBFS are none", () => {
    expect(highest(maskOf(noise(2, 0.3, 5)).subarray(24_000))).toBeLessThan(0.2);
    expect(highest(maskOf(silence(1)))).toBe(0);
    expect(highest(maskOf(joined(silence(0.5), noise(0.5, 1e-6, 3))))).toBe(0);
  });

  it("a burst after silence opens before its first sample, holds over its edge, and closes while it sounds on", () => {
    const mask = maskOf(joined(silence(1), sine({ hertz: 1000, peakDbfs: -6, seconds: 1, channels: 2 })));
    expect(mask[48_000 - 480]).toBe(0);
    expect(mask[48_000]).toBeGreaterThan(0.5);
    expect(highest(mask.subarray(48_000, 48_480))).toBeGreaterThan(0.95);
    expect(highest(mask.subarray(48_000 + 24_000))).toBeLessThan(0.05);
  });

  it("hand percussion at 88.2 kHz is cut into strokes and what rings after them", () => {
    const mask = maskOf(recording("drums-88200"));
    const open = mask.filter((v) => v > 0.8).length / mask.length;
    expect(open).toBeGreaterThan(0.03);
    expect(open).toBeLessThan(0.7);
    expect(mask.every((v) => v >= 0 && v <= 1)).toBe(true);
  });

  it.each([8000, 384_000])("is the same however it is read, at %i Hz", (rate) => {
    const clip = { ...noise(0.5, 0.2, 9, 1, rate), sampleRateHz: rate };
    const whole = maskOf(clip);
    const again = transientMask(soundOf(clip));
    const from = Math.floor(whole.length / 3);
    expect(again.read(from, 500)[0]).toEqual(whole.slice(from, from + 500));
    expect(again.read(-10, 20)[0].slice(0, 10)).toEqual(new Float32Array(10));
  });
});
