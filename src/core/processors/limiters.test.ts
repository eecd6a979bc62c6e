import { describe, expect, it } from "vitest";
import { type Clip, samplePeak } from "../audio/clip";
import { truePeak } from "../loudness/true-peak";
import { levelAt, steady } from "../stimuli/response";
import { noise, sine } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { hardCeiling } from "./hard-ceiling";
import { softClip, softClipSample } from "./soft-clip";
import { truePeakLimiter } from "./true-peak-limiter";

const RATE = 48_000;
const limit = (clip: Clip, given: object) => truePeakLimiter.processClip(clip, truePeakLimiter.parameters.parse(given));
const truePeakDbtp = (clip: Clip) => 20 * Math.log10(truePeak(clip));

/** Tones whose peaks fall between the samples, as cases 15 to 19 of EBU Tech 3341 have them, and harsher things. */
const HARD: [string, Clip][] = [
  ["a quarter of the rate, 45°", sine({ hertz: RATE / 4, peakDbfs: 0, seconds: 1, phaseDegrees: 45 })],
  ["a sixth of the rate, 60°", sine({ hertz: RATE / 6, peakDbfs: 0, seconds: 1, phaseDegrees: 60 })],
  ["an eighth of the rate, 67.5°", sine({ hertz: RATE / 8, peakDbfs: 0, seconds: 1, phaseDegrees: 67.5 })],
  ["noise over full scale", noise(1, 1.5, 8)],
  ["hand drums", recording("tabla-44100")],
];

describe("look-ahead limiter", () => {
  it.each(HARD)("holds a true-peak ceiling of −1 dBTP on %s, driven 9 dB", (_, clip) => {
    const out = limit(clip, { inputDb: 9, ceilingDb: -1 });
    expect(truePeakDbtp(out)).toBeLessThanOrEqual(-1 + 1e-6);
    expect(truePeakDbtp(out)).toBeGreaterThan(-2.5);
  });

  it("with sample detection lets peaks between the samples pass: that is the difference", () => {
    const clip = HARD[0][1];
    const out = limit(clip, { inputDb: 9, ceilingDb: -1, detection: "sample peak" });
    expect(20 * Math.log10(samplePeak(out))).toBeLessThanOrEqual(-1 + 1e-6);
    expect(truePeakDbtp(out)).toBeGreaterThan(1.5);
  });

  it("leaves what is under the ceiling bit for bit, and is down before the peak comes", () => {
    const quiet = noise(0.5, 0.3, 5);
    expect(limit(quiet, {}).channels[0]).toEqual(quiet.channels[0]);
    const clip = steady([-20, 0], 0.5);
    const out = limit(clip, { ceilingDb: -6, lookAheadMs: 5, detection: "sample peak" });
    expect(levelAt(out, 23_998)).toBeLessThan(-25.5);
    expect(levelAt(out, 24_000 - 240 - 10)).toBeCloseTo(-20, 3);
    expect(levelAt(out, 24_001)).toBeLessThanOrEqual(-6 + 1e-5);
  });

  it("lets go in two stages: slower after a long stretch than after a single peak", () => {
    const reduction = (loudSeconds: number) => {
      const loud = steady([0], loudSeconds).channels[0];
      const rest = steady([-30], 0.5).channels[0];
      const clip = { sampleRateHz: RATE, channels: [Float32Array.from([...loud, ...rest])] };
      const out = limit(clip, { ceilingDb: -12, detection: "sample peak", fastReleaseMs: 10, slowReleaseMs: 800 });
      return -30 - levelAt(out, loud.length + 0.1 * RATE);
    };
    expect(reduction(1)).toBeGreaterThan(4);
    expect(reduction(1)).toBeLessThan(6.1);
  });
});

describe("clips", () => {
  it("the plain clip lets nothing over and leaves what is under it alone", () => {
    const settings = hardCeiling.parameters.parse({ inputDb: 12, ceilingDb: -3 });
    expect(samplePeak(hardCeiling.processClip(noise(1, 1, 2), settings))).toBeCloseTo(10 ** (-3 / 20), 6);
    const quiet = noise(1, 0.1, 2);
    const open = hardCeiling.parameters.parse({ ceilingDb: -3 });
    expect(hardCeiling.processClip(quiet, open).channels[0]).toEqual(quiet.channels[0]);
  });

  it("the soft clip is straight under its knee, joins without a corner and stays under the ceiling", () => {
    expect(softClipSample(0.4, 0.8, 0.5)).toBe(0.4);
    const slope = (softClipSample(0.4 + 1e-6, 0.8, 0.5) - 0.4) / 1e-6;
    expect(slope).toBeCloseTo(1, 3);
    let last = 0;
    for (let v = 0; v < 4; v += 0.01) {
      const out = softClipSample(v, 0.8, 0.5);
      expect(out).toBeGreaterThanOrEqual(last);
      expect(out).toBeLessThanOrEqual(0.8);
      expect(softClipSample(-v, 0.8, 0.5)).toBe(-out);
      last = out;
    }
    const out = softClip.processClip(noise(0.5, 1, 3), softClip.parameters.parse({ inputDb: 12, oversampling: 1 }));
    expect(20 * Math.log10(samplePeak(out))).toBeLessThanOrEqual(-0.5);
  });
});
