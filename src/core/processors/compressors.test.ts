import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { splitBands } from "../audio/crossover";
import { together } from "../audio/in-order";
import { clipOf, soundOf } from "../audio/sound";
import { BIN_HZ, levelAt, responseOf, steady, toneDb } from "../stimuli/response";
import { noise, silence, sine } from "../stimuli/signals";
import { phaseOf } from "../testing/phase";
import { dynamicEqualizer } from "./dynamic-equalizer";
import { feedForwardCompressor } from "./feed-forward-compressor";
import { multibandCompressor } from "./multiband-compressor";
import { slowLeveller } from "./slow-leveller";
import { upwardCompressor } from "./upward-compressor";

const RATE = 48_000;
const compress = (clip: Clip, given: object, key?: Clip) =>
  feedForwardCompressor.processClip(clip, feedForwardCompressor.parameters.parse(given), { key });

describe("feed-forward compressor", () => {
  it.each([
    [-40, 0, -40],
    [-20, 0, -20],
    [-8, 0, -17],
    [0, 0, -15],
    // Within a knee of 12 dB: (1/4 − 1)·(over + 6)² / 24 (Giannoulis, Massberg and Reiss 2012, eq. 4).
    [-26, 12, -26],
    [-20, 12, -21.125],
    [-17, 12, -19.53],
    [-8, 12, -17],
  ])("static curve, threshold −20, 4:1: %d dB in with a knee of %d dB comes out at %d", (level, kneeDb, expected) => {
    const out = compress(steady([level], 1), { thresholdDb: -20, ratio: 4, kneeDb, attackMs: 1, releaseMs: 50 });
    expect(levelAt(out, 47_000)).toBeCloseTo(expected, 1);
  });

  it("attack and release reach 63 % of the way in their time", () => {
    const given = { thresholdDb: -20, ratio: 4, kneeDb: 0, attackMs: 30, releaseMs: 200 };
    const clip = steady([-40, -8, -40], 1);
    const out = compress(clip, given);
    const reduction = (frame: number) => levelAt(clip, frame) - levelAt(out, frame);
    const share = 1 - Math.exp(-1);
    expect(reduction(RATE + 0.03 * RATE)).toBeCloseTo(9 * share, 1);
    expect(reduction(2 * RATE - 1)).toBeCloseTo(9, 2);
    expect(reduction(2 * RATE + 0.2 * RATE)).toBeCloseTo(9 * (1 - share), 1);
  });

  it("an RMS detector reads a sine 3.01 dB under its peak", () => {
    const tone = sine({ hertz: 997, peakDbfs: -10, seconds: 2, channels: 1 });
    const given = {
      thresholdDb: -23.01,
      ratio: 2,
      kneeDb: 0,
      attackMs: 20,
      releaseMs: 200,
      detector: "RMS",
      rmsMs: 300,
    };
    const out = compress(tone, given);
    let peak = 0;
    for (let i = 80_000; i < 95_000; i++) peak = Math.max(peak, Math.abs(out.channels[0][i]));
    expect(20 * Math.log10(peak)).toBeCloseTo(-15, 1);
  });

  it("looks ahead by what it declares, and mixes in parallel", () => {
    const clip = steady([-40, -8], 0.5);
    const given = { thresholdDb: -20, ratio: 10, kneeDb: 0, attackMs: 2, releaseMs: 50, lookAheadMs: 5 };
    const out = compress(clip, given);
    const plain = compress(clip, { ...given, lookAheadMs: 0 });
    expect(levelAt(plain, 24_000)).toBeGreaterThan(levelAt(out, 24_000) + 5);
    const settings = feedForwardCompressor.parameters.parse(given);
    expect(feedForwardCompressor.latencySamples?.(settings, RATE)).toBe(240);
    const half = compress(clip, { ...given, lookAheadMs: 0, mixPercent: 50 });
    expect(half.channels[0][40_001]).toBeCloseTo((clip.channels[0][40_001] + plain.channels[0][40_001]) / 2, 6);
    expect(compress(clip, { ...given, mixPercent: 0 }).channels[0]).toEqual(clip.channels[0]);
  });

  it("is led by an external key, of any length, and not by its own level then", () => {
    const clip = steady([-6], 1);
    const given = { thresholdDb: -20, ratio: 4, kneeDb: 0, attackMs: 1, releaseMs: 10 };
    expect(compress(clip, given, silence(1, RATE, 1)).channels[0]).toEqual(clip.channels[0]);
    const keyed = compress(steady([-40], 1), given, steady([-8], 0.5));
    expect(levelAt(keyed, 20_000)).toBeCloseTo(-49, 1);
    expect(levelAt(keyed, 47_000)).toBeCloseTo(-40, 1);
  });

  it("keeps a stereo image: both sides get the same gain", () => {
    const left = steady([-6], 0.5).channels[0];
    const right = steady([-30], 0.5).channels[0];
    const out = compress({ sampleRateHz: RATE, channels: [left, right] }, { attackMs: 1 });
    expect(out.channels[0][20_000] / left[20_000]).toBeCloseTo(out.channels[1][20_000] / right[20_000], 6);
  });
});

describe("the other compressors", () => {
  it("the leveller lets go fast after a hit and slowly after a loud stretch", () => {
    const level = (loudSeconds: number) => {
      const clip = steady([-10], loudSeconds);
      const rest = steady([-50], 1);
      const joined = { ...clip, channels: [Float32Array.from([...clip.channels[0], ...rest.channels[0]])] };
      const out = slowLeveller.processClip(joined, slowLeveller.parameters.parse({}));
      const frame = clip.channels[0].length + Math.round(0.6 * RATE);
      return -50 - levelAt(out, frame);
    };
    expect(level(0.05)).toBeLessThan(1.2);
    expect(level(4)).toBeGreaterThan(2 * level(0.05));
  });

  it.each([
    [-10, -10],
    [-30, -30],
    [-50, -40],
    [-70, -58],
  ])("upward, threshold −30, 2:1, range 12: %d dB comes out at %d", (level, expected) => {
    const out = upwardCompressor.processClip(steady([level], 1), upwardCompressor.parameters.parse({}));
    expect(levelAt(out, 47_000)).toBeCloseTo(expected, 1);
  });

  it("Linkwitz-Riley bands sum flat in level and turn phase (Linkwitz 1976): 0.01 dB", () => {
    const at = responseOf((clip) => {
      const [low, middle, high] = splitBands(soundOf(clip), [200, 3000]);
      return clipOf(together([low, middle, high], (sum, a, b, c) => sum.set(a.map((v, i) => v + b[i] + c[i]))));
    });
    for (const hertz of [20, 100, 200, 700, 3000, 9000, 20_000]) expect(Math.abs(at(hertz).gainDb)).toBeLessThan(0.01);
    expect(Math.abs(Math.abs(phaseOf(at(200))) - Math.PI)).toBeLessThan(0.3);
  });

  it("each band is −6.02 dB at its crossover", () => {
    const low = responseOf((c) => clipOf(splitBands(soundOf(c), [1000])[0]));
    expect(low(1000).gainDb).toBeCloseTo(-6.02, 1);
  });

  it("three bands: only the loud one is held", () => {
    const tone = (bin: number, peakDbfs: number) => sine({ hertz: bin * BIN_HZ, peakDbfs, seconds: 1, channels: 1 });
    const low = tone(9, -6);
    const high = tone(700, -60);
    const both = { ...low, channels: [low.channels[0].map((v, i) => v + high.channels[0][i])] };
    const out = multibandCompressor.processClip(both, multibandCompressor.parameters.parse({}));
    expect(toneDb(out, 9)).toBeLessThan(-12);
    expect(toneDb(out, 700)).toBeCloseTo(-60, 0);
  });

  it("the dynamic equalizer is bit for bit the input at rest, and moves its own band alone", () => {
    const quiet = noise(0.5, 0.001, 4);
    const settings = dynamicEqualizer.parameters.parse({
      frequencyHz: 256 * BIN_HZ,
      q: 2,
      thresholdDb: -40,
      ratio: 20,
    });
    expect(dynamicEqualizer.processClip(quiet, settings).channels[0]).toEqual(quiet.channels[0]);
    const inside = sine({ hertz: 256 * BIN_HZ, peakDbfs: -10, seconds: 1, channels: 1 });
    const out = dynamicEqualizer.processClip(inside, settings);
    expect(toneDb(out, 256)).toBeCloseTo(-19, 0);
    const outside = sine({ hertz: 12 * BIN_HZ, peakDbfs: -10, seconds: 1, channels: 1 });
    expect(toneDb(dynamicEqualizer.processClip(outside, settings), 12)).toBeCloseTo(-10, 1);
  });
});
