import { describe, expect, it } from "vitest";
import { biquadMagnitudeDb } from "../audio/biquad";
import { type Clip, frameCount, samplePeak } from "../audio/clip";
import { forwardReal } from "../audio/fft";
import { hannWindow } from "../audio/window";
import { noise, sine } from "../testing/signals";
import { bilinearBell, bilinearEqualizer, bilinearLowShelf } from "./bilinear-equalizer";
import { driveStage } from "./drive-stage";
import { hardCeiling } from "./hard-ceiling";

/** Level in dB of one bin-centred tone within a channel: `bin` of 4096 at 48 kHz. */
function toneDb(clip: Clip, bin: number): number {
  const start = 8192;
  const window = hannWindow(4096);
  const segment = window.map((w, i) => w * clip.channels[0][start + i]);
  const spectrum = forwardReal(segment, 4096);
  return 20 * Math.log10(Math.hypot(spectrum[2 * bin], spectrum[2 * bin + 1]) / 1024);
}

const BIN_HZ = 48_000 / 4096;

describe("bilinear equalizer", () => {
  it.each([
    [18_000, 2.74],
    [20_000, 1.15],
    [23_000, 0.07],
  ])("a bell at 12 kHz, Q 1, +12 dB is squeezed near half the rate: at %i Hz %d dB", (hertz, expected) => {
    expect(biquadMagnitudeDb(bilinearBell(12_000, 12, 1, 48_000), hertz, 48_000)).toBeCloseTo(expected, 1);
  });

  it("has its full gain at the bell's centre, half of the shelf's (in dB) at the shelf's corner", () => {
    expect(biquadMagnitudeDb(bilinearBell(1000, -7.5, 2, 48_000), 1000, 48_000)).toBeCloseTo(-7.5, 9);
    const shelf = bilinearLowShelf(200, 6, 48_000);
    expect(biquadMagnitudeDb(shelf, 1, 48_000)).toBeCloseTo(6, 2);
    expect(biquadMagnitudeDb(shelf, 200, 48_000)).toBeCloseTo(3, 6);
    expect(biquadMagnitudeDb(shelf, 20_000, 48_000)).toBeCloseTo(0, 2);
  });

  it("does to a tone what its curve says, and nothing at 0 dB", () => {
    const hertz = 85 * BIN_HZ;
    const tone = sine({ hertz, peakDbfs: -12, seconds: 1 });
    const flat = { shelfHz: 90, shelfDb: 0, bellHz: hertz, bellDb: 0, bellQ: 1, outputDb: 0 };
    expect(toneDb(bilinearEqualizer.process(tone, { ...flat, bellDb: 6, outputDb: -2 }), 85)).toBeCloseTo(-8, 3);
    expect(bilinearEqualizer.process(tone, flat).channels[0]).toEqual(tone.channels[0]);
  });
});

describe("drive stage", () => {
  it("makes odd harmonics alone: tanh at a tenth of full scale gives H3 at −61.6 dB (series of tanh)", () => {
    const tone = sine({ hertz: 85 * BIN_HZ, peakDbfs: -20, seconds: 1 });
    const driven = driveStage.process(tone, { driveDb: 0, outputDb: 0, oversampling: 4 });
    const fundamental = toneDb(driven, 85);
    expect(toneDb(driven, 255) - fundamental).toBeCloseTo(-61.6, 1);
    expect(toneDb(driven, 170) - fundamental).toBeLessThan(-120);
  });

  it("folds less back with oversampling", () => {
    // H3 of 10 008 Hz lies at 30 023 Hz and folds back to 17 977 Hz, bin 1534.
    const tone = sine({ hertz: 854 * BIN_HZ, peakDbfs: -6, seconds: 1 });
    const alias = (oversampling: 1 | 2 | 4) =>
      toneDb(driveStage.process(tone, { driveDb: 12, outputDb: 0, oversampling }), 4096 - 3 * 854);
    expect(alias(1)).toBeGreaterThan(-40);
    expect(alias(4)).toBeLessThan(alias(1) - 50);
  });

  it("keeps the length and comes back without delay", () => {
    const click: Clip = { sampleRateHz: 48_000, channels: [new Float32Array(1001)] };
    click.channels[0][500] = 0.01;
    const driven = driveStage.process(click, { driveDb: 6, outputDb: 0, oversampling: 2 });
    expect(frameCount(driven)).toBe(1001);
    expect(driven.channels[0].indexOf(samplePeak(driven))).toBe(500);
  });
});

describe("hard ceiling", () => {
  it("lets nothing over, and leaves what is under it alone", () => {
    const clipped = hardCeiling.process(noise(1, 1, 2), { inputDb: 12, ceilingDbfs: -3 });
    expect(samplePeak(clipped)).toBeCloseTo(10 ** (-3 / 20), 6);
    const quiet = noise(1, 0.1, 2);
    expect(hardCeiling.process(quiet, { inputDb: 0, ceilingDbfs: -3 }).channels[0]).toEqual(quiet.channels[0]);
  });
});

it("every setting has a unit, a range and a default that lies in it", () => {
  for (const { parameters, name } of [bilinearEqualizer, driveStage, hardCeiling]) {
    expect(name.length).toBeGreaterThan(5);
    const defaults = parameters.parse({});
    expect(parameters.parse(defaults)).toEqual(defaults);
    for (const field of Object.values(parameters.shape)) expect(field.meta()).toHaveProperty("unit");
  }
});
