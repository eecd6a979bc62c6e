import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { laddered, leftDb, music, stepOf, throughProcessors } from "../testing/chains";
import { throughFfmpeg } from "../testing/recordings";
import { type Ladder, ladderOf } from "./ladder-report";

const quiet = () => {};
const LOW = 16_000;
const taken = (here: Clip, yonder: Clip): Ladder => ladderOf(laddered(here, yonder), quiet);
const BELLS = {
  bands: [
    { kind: "bell", frequencyHz: 200, gainDb: 6, q: 1 },
    { kind: "high shelf", frequencyHz: 6000, gainDb: 4, q: 0.7 },
  ],
};

/** What a clip leaves of another at the gain that leaves least, in dB over the other: what a stage contributes by itself. */
function contributionDb(from: Clip, to: Clip): number {
  let [product, energy, target] = [0, 0, 0];
  for (const [c, channel] of from.channels.entries())
    for (const [i, v] of channel.entries()) {
      product += v * to.channels[c][i];
      energy += v * v;
      target += to.channels[c][i] ** 2;
    }
  return 10 * Math.log10(1 - product ** 2 / (energy * target));
}

describe("the ladder, on chains", () => {
  const here = music(5, 1, 1, LOW);
  const equalizer: [string, object] = ["bilinear-equalizer", BELLS];
  const compressor: [string, object] = ["feed-forward-compressor", { thresholdDb: -30, attackMs: 15, releaseMs: 150 }];
  const saturator: [string, object] = ["drive-stage", { driveDb: 12, oversampling: 1 }];
  const through = (...stages: [string, object][]) =>
    throughProcessors(
      here,
      ...stages.map(([key, settings]): [string, Record<string, unknown>] => [key, { ...settings }]),
    );

  it.each([
    // After tone is left what the other stage does by itself, heard through the filter where that comes last.
    ["equalizer, then compressor", [equalizer, compressor], through(equalizer), "levelOverTime", -40],
    ["compressor, then equalizer", [compressor, equalizer], through(equalizer), "levelOverTime", -40],
    ["saturator, then equalizer", [saturator, equalizer], through(equalizer), "bend", -60],
  ] as const)(
    "gives each stage of %s its share within 3 dB",
    (_, stages, filtered, last, bound) => {
      const yonder = through(...stages.map((s): [string, object] => [...s]));
      const { steps } = taken(here, yonder);
      expect(Math.abs(leftDb(steps, "tone") - contributionDb(filtered, yonder))).toBeLessThan(3);
      expect(Math.abs(leftDb(steps, "level") - contributionDb(here, yonder))).toBeLessThan(0.5);
      expect(leftDb(steps, last)).toBeLessThan(bound);
    },
    180_000,
  );
});

describe("the ladder, on a recording through ffmpeg's filters", () => {
  const mono = (clip: Clip): Clip => ({ ...clip, channels: [clip.channels[0]] });

  it.each([
    // 3.5 s in 24 bits: less to fit on than 15 s in floats.
    ["bells", -70],
    ["cuts", -70],
  ] as const)("takes %s off at tone", async (name, bound) => {
    const { steps } = taken(mono(await throughFfmpeg("plain")), await throughFfmpeg(name));
    expect(stepOf(steps, "tone").fittedDb ?? -300).toBeLessThan(bound);
    expect(leftDb(steps, "tone")).toBeLessThan(bound + 15);
  });

  it("takes work on mid and side off as two by two", async () => {
    const { steps } = taken(await throughFfmpeg("plain"), await throughFfmpeg("wide"));
    expect(stepOf(steps, "tone").isCrossed).toBe(true);
    expect(leftDb(steps, "tone")).toBeLessThan(-60);
  });

  it("takes a compressor off at level over time, and a soft clip at bend", async () => {
    const plain = mono(await throughFfmpeg("plain"));
    const compressed = taken(plain, await throughFfmpeg("compressor")).steps;
    expect(leftDb(compressed, "levelOverTime")).toBeLessThan(-45);
    const clipped = taken(plain, await throughFfmpeg("softclip")).steps;
    expect(leftDb(clipped, "levelOverTime")).toBeGreaterThan(-30);
    expect(leftDb(clipped, "bend")).toBeLessThan(-60);
  }, 120_000);
});
