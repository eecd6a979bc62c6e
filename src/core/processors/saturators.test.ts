import { describe, expect, it } from "vitest";
import { type Clip, frameCount, samplePeak } from "../audio/clip";
import { BIN_HZ, responseOf, toneDb, toneLevelsDb } from "../stimuli/response";
import { sine } from "../stimuli/signals";
import { biasedStage } from "./biased-stage";
import { bitAndRateReducer } from "./bit-and-rate-reducer";
import { driveStage } from "./drive-stage";
import { headLoss, tapeStage } from "./tape-stage";

const FACTORS = [1, 2, 4, 8, 16];
const tone = (bin: number, peakDbfs: number) => sine({ hertz: bin * BIN_HZ, peakDbfs, seconds: 0.5, channels: 1 });

describe("symmetric saturator", () => {
  const drive = (clip: Clip, given: object) => driveStage.processClip(clip, driveStage.parameters.parse(given));

  it("makes odd harmonics alone: tanh at a tenth of full scale gives H3 at −61.6 dB (series of tanh)", () => {
    const driven = drive(tone(85, -20), { driveDb: 0 });
    expect(toneDb(driven, 255) - toneDb(driven, 85)).toBeCloseTo(-61.6, 1);
    expect(toneDb(driven, 170) - toneDb(driven, 85)).toBeLessThan(-120);
    expect(toneDb(driven, 340) - toneDb(driven, 85)).toBeLessThan(-120);
  });

  it("of 300 Hz are 900 and 1500 Hz, not 600 or 1200 (odd harmonics)", () => {
    const driven = drive(tone(26, -6), { driveDb: 12 });
    for (const odd of [3, 5]) expect(toneDb(driven, odd * 26)).toBeGreaterThan(-50);
    for (const even of [2, 4]) expect(toneDb(driven, even * 26)).toBeLessThan(-110);
  });

  it("folds less back with every doubling of the rate", () => {
    // H3 of 10 008 Hz lies at 30 023 Hz and aliases to 17 977 Hz, bin 1534; H7 and on need more than two times.
    const folded = FACTORS.map((oversampling) => {
      const driven = drive(tone(854, -3), { driveDb: 24, oversampling });
      const power = toneLevelsDb(driven)
        .subarray(20, 2030)
        .reduce((sum, level, i) => (Math.abs(i + 20 - 854) > 3 ? sum + 10 ** (level / 10) : sum), 0);
      return 10 * Math.log10(power);
    });
    expect(folded[0]).toBeGreaterThan(-30);
    for (let i = 1; i < folded.length; i++) expect(folded[i]).toBeLessThan(folded[i - 1] - 4);
    expect(folded[4]).toBeLessThan(folded[0] - 40);
  });

  it("keeps the length and comes back without delay, dry at no mix", () => {
    const click: Clip = { sampleRateHz: 48_000, channels: [new Float32Array(1001)] };
    click.channels[0][500] = 0.01;
    const driven = drive(click, { oversampling: 2 });
    expect(frameCount(driven)).toBe(1001);
    expect(driven.channels[0].indexOf(samplePeak(driven))).toBe(500);
    expect(drive(click, { mixPercent: 0 }).channels[0]).toEqual(click.channels[0]);
  });
});

describe("biased saturator", () => {
  const saturated = (clip: Clip, given: object) => biasedStage.processClip(clip, biasedStage.parameters.parse(given));

  it("relative second harmonic is tanh(bias)·drive·A / 2 for small tones, and 10 dB more tone is 10 dB more of it", () => {
    const second = (peakDbfs: number) => {
      const out = saturated(tone(26, peakDbfs), { driveDb: 0, bias: 0.4 });
      return toneDb(out, 52) - toneDb(out, 26);
    };
    expect(second(-40)).toBeCloseTo(20 * Math.log10((Math.tanh(0.4) * 0.01) / 2), 1);
    expect(second(-30) - second(-40)).toBeCloseTo(10, 1);
  });

  it("without bias it has no even harmonics, and never an offset", () => {
    const straight = saturated(tone(26, -6), { bias: 0, driveDb: 12 });
    expect(toneDb(straight, 52)).toBeLessThan(-110);
    const bent = saturated({ ...tone(26, -6), channels: [tone(26, -6).channels[0]] }, { bias: 0.8, driveDb: 12 });
    const mean = bent.channels[0].subarray(16_000).reduce((sum, v) => sum + v, 0) / 8000;
    expect(Math.abs(mean)).toBeLessThan(0.02);
  });
});

describe("tape-like saturator", () => {
  const tape = (clip: Clip, given: object) => tapeStage.processClip(clip, tapeStage.parameters.parse(given));

  it("spacing loses 54.6 dB for each wavelength of distance (Wallace 1951)", () => {
    // At 15 ips, 10 kHz is 38.1 µm long; the other losses divide out.
    const loss = headLoss(10_000, 15, 3.81, 1) / headLoss(10_000, 15, 0, 1);
    expect(20 * Math.log10(loss)).toBeCloseTo(-5.46, 2);
  });

  it("the gap is deaf where it is one wavelength wide", () => {
    expect(headLoss(38_100, 15, 0, 10)).toBeLessThan(1e-9);
  });

  it("loses more top at half the speed, its response as the formula says", () => {
    const at = (speedIps: number) =>
      responseOf((c) =>
        tape({ ...c, channels: [c.channels[0].map((v) => v * 1e-3)] }, { speedIps, hysteresisPercent: 0 }),
      );
    const relative = (speed: number) => at(speed)(12_000).gainDb - at(speed)(1000).gainDb;
    const formula = (speed: number) => 20 * Math.log10(headLoss(12_000, speed, 0.5, 4) / headLoss(1000, speed, 0.5, 4));
    expect(relative(15)).toBeCloseTo(formula(15), 1);
    expect(relative(7.5)).toBeCloseTo(formula(7.5), 1);
    expect(relative(7.5)).toBeLessThan(relative(15) - 3);
  });

  it("hysteresis: the way up and the way down differ, whatever the speed; without it they do not", () => {
    const gap = (hysteresisPercent: number) => {
      const { channels } = tape(tone(2, -6), {
        hysteresisPercent,
        oversampling: 1,
        speedIps: 30,
        spacingUm: 0,
        gapUm: 0.5,
      });
      const input = tone(2, -6).channels[0];
      // A quarter period around a crest: the same input value on both sides of it.
      const crest = 2048 * 4 + 512;
      let widest = 0;
      for (let k = 100; k < 400; k++)
        widest = Math.max(widest, Math.abs(channels[0][crest + k] - channels[0][crest - k]));
      expect(input[crest + 200]).toBeCloseTo(input[crest - 200], 4);
      return widest;
    };
    expect(gap(0)).toBeLessThan(2e-3);
    expect(gap(60)).toBeGreaterThan(0.02);
  });
});

describe("fewer bits and samples", () => {
  it("leaves 2^bits steps at the most, held for as many samples as the rates say", () => {
    const given = bitAndRateReducer.parameters.parse({ bits: 3, rateHz: 12_000 });
    const { channels } = bitAndRateReducer.processClip(tone(85, 0), given);
    expect(new Set(channels[0]).size).toBeLessThanOrEqual(8);
    for (let i = 0; i < 4000; i += 4) expect(new Set(channels[0].subarray(i, i + 4)).size).toBe(1);
  });
});
