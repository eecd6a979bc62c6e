import { describe, expect, it } from "vitest";
import { sine } from "../stimuli/signals";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "./fft";
import { overviewOf } from "./overview";
import { resample } from "./resample";
import { besselI0 } from "./window";

/** RMS in dB of the middle half of a channel. */
function middleRmsDb(samples: Float32Array): number {
  const middle = samples.subarray(samples.length / 4, (3 * samples.length) / 4);
  return 10 * Math.log10(middle.reduce((sum, v) => sum + v * v, 0) / middle.length);
}

describe("rate conversion", () => {
  it.each([
    [44_100, 48_000],
    [48_000, 44_100],
    [96_000, 44_100],
    [48_000, 96_000],
    [192_000, 48_000],
  ])("%i to %i Hz is flat within 0.01 dB to 0.45 of the lower rate, and in phase", (from, to) => {
    const lower = Math.min(from, to);
    for (const hertz of [100, 0.2 * lower, 0.4 * lower, 0.449 * lower]) {
      const input = sine({ hertz, peakDbfs: -6, seconds: 0.25, sampleRateHz: from, channels: 1 });
      const output = resample(input, to).channels[0];
      const wanted = sine({ hertz, peakDbfs: -6, seconds: 0.25, sampleRateHz: to, channels: 1 }).channels[0];
      expect(Math.abs(middleRmsDb(output) - middleRmsDb(wanted))).toBeLessThan(0.01);
      const error = output.map((v, i) => v - wanted[i]);
      expect(middleRmsDb(error)).toBeLessThan(-65);
    }
  });

  it("keeps aliases 120 dB down: a tone above the new band all but vanishes", () => {
    const input = sine({ hertz: 30_000, peakDbfs: 0, seconds: 0.25, sampleRateHz: 96_000, channels: 1 });
    expect(middleRmsDb(resample(input, 48_000).channels[0])).toBeLessThan(-120);
  });

  it("keeps images 120 dB down: upwards and back down again gives the same", () => {
    const input = sine({ hertz: 5000, peakDbfs: 0, seconds: 0.25, channels: 1 });
    const back = resample(resample(input, 96_000), 48_000).channels[0];
    expect(middleRmsDb(back.map((v, i) => v - input.channels[0][i]))).toBeLessThan(-120);
  });

  it("hands back the clip itself at its own rate", () => {
    const clip = sine({ hertz: 100, peakDbfs: -6, seconds: 0.1 });
    expect(resample(clip, 48_000)).toBe(clip);
  });
});

describe("the tools beneath", () => {
  it("FFT there and back is the identity, and a cosine falls into its own bin", () => {
    const signal = Float64Array.from({ length: 64 }, (_, i) => Math.cos((2 * Math.PI * 5 * i) / 64));
    const spectrum = forwardReal(signal, 64);
    expect(spectrum[10]).toBeCloseTo(32, 10);
    expect(spectrum).toHaveLength(2 * 33);
    expect(Array.from(inverseReal(spectrum))).toEqual(Array.from(signal, (v) => expect.closeTo(v, 12)));
    expect(powerOfTwoAtLeast(1025)).toBe(2048);
  });

  it("I0(1) and I0(5) as tabulated (Abramowitz and Stegun, table 9.8)", () => {
    expect(besselI0(1)).toBeCloseTo(1.2660658778, 9);
    expect(besselI0(5)).toBeCloseTo(27.2398718236, 8);
  });

  it("a waveform overview holds the extremes of every stretch, of both channels", () => {
    const left = Float32Array.from([0.1, -0.9, 0.2, 0.3]);
    const right = Float32Array.from([0, 0, 0.8, -0.4]);
    const { lows, highs } = overviewOf({ sampleRateHz: 8000, channels: [left, right] }, 2);
    expect(Array.from(lows)).toEqual([expect.closeTo(-0.9, 6), expect.closeTo(-0.4, 6)]);
    expect(Array.from(highs)).toEqual([expect.closeTo(0.1, 6), expect.closeTo(0.8, 6)]);
  });
});
