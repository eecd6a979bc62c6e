import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { filtered } from "../audio/filtered";
import { seededRandom } from "../audio/random";
import { clipOf, soundOf } from "../audio/sound";
import { BELL_AND_SHELF, music, stepOf, stepResidualDb, taken, throughProcessors } from "../testing/chains";
import { throughFfmpeg } from "../testing/recordings";

const LOW = 16_000;

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
  const equalizer: [string, object] = ["bilinear-equalizer", BELL_AND_SHELF];
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
  ] as const)("gives each stage of %s its share within 3 dB", (_, stages, filtered, last, bound) => {
    const yonder = through(...stages.map((s): [string, object] => [...s]));
    const { steps } = taken(here, yonder);
    expect(Math.abs(stepResidualDb(steps, "tone") - contributionDb(filtered, yonder))).toBeLessThan(3);
    expect(Math.abs(stepResidualDb(steps, "level") - contributionDb(here, yonder))).toBeLessThan(0.5);
    expect(stepResidualDb(steps, last)).toBeLessThan(bound);
  });
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
    expect(stepResidualDb(steps, "tone")).toBeLessThan(bound + 15);
  });

  it("explains work on mid and side as such", async () => {
    const { steps, found } = taken(await throughFfmpeg("plain"), await throughFfmpeg("wide"));
    expect(found?.domain).toBe("mid-side");
    expect(stepOf(steps, "tone").isCrossed).toBe(false);
    expect(stepResidualDb(steps, "left")).toBeLessThan(-60);
  });

  it("takes a compressor off at level over time, and a soft clip at bend", async () => {
    const plain = mono(await throughFfmpeg("plain"));
    const compressed = taken(plain, await throughFfmpeg("compressor")).steps;
    expect(stepResidualDb(compressed, "levelOverTime")).toBeLessThan(-45);
    const clipped = taken(plain, await throughFfmpeg("softclip")).steps;
    expect(stepResidualDb(clipped, "levelOverTime")).toBeGreaterThan(-30);
    expect(stepResidualDb(clipped, "bend")).toBeLessThan(-60);
  });
});

describe("what no step can explain", () => {
  const here = music(6, 1, 1, LOW);
  const [x] = here.channels;

  it("stays in what is left: a long reverberation is called by a careful word", () => {
    // Two seconds of dying noise, far longer than any filter that half of six seconds could tell.
    const random = seededRandom(17);
    const tail = Float64Array.from({ length: 2 * LOW }, (_, n) =>
      n < 400 ? 0 : 0.02 * (random() - 0.5) * 10 ** ((-3 * n) / (2 * LOW)),
    );
    tail[0] = 1;
    const yonder = clipOf(filtered(soundOf(here), [tail], 0));
    const { steps } = taken(here, yonder);
    expect(stepResidualDb(steps, "left")).toBeGreaterThan(-25);
    const words = stepOf(steps, "left").kinds.map(({ kind }) => kind);
    expect(["outlasting", "inharmonic"]).toContain(words[0]);
    expect(words).not.toContain("harmonic");
  });

  it("stays in what is left: a copy that wanders in time", () => {
    const yonder: Clip = {
      ...here,
      channels: [
        x.map((v, n) => 0.7 * v + 0.5 * (x[n - Math.round(300 + 90 * Math.sin((2 * Math.PI * 0.8 * n) / LOW))] ?? 0)),
      ],
    };
    const { steps } = taken(here, yonder);
    expect(stepResidualDb(steps, "left")).toBeGreaterThan(-20);
    expect(stepOf(steps, "left").kinds[0].kind).not.toMatch(/noise|hum|clicks|rounding|dither/);
  });

  it("adds up: what is told apart is what the last step that gains leaves", () => {
    const random = seededRandom(5);
    const hiss = Float32Array.from(x, () => 0.01 * (random() - 0.5));
    const yonder: Clip = { ...here, channels: [x.map((v, n) => 0.5 * v + hiss[n] + 0.8 * (hiss[n - 1] ?? 0))] };
    const left = stepOf(taken(here, yonder).steps, "left");
    const sum = left.kinds.reduce((all, { shareDb }) => all + 10 ** (shareDb / 10), 0);
    expect(Math.abs(10 * Math.log10(sum) - (left.residualDb ?? 0))).toBeLessThan(1);
    expect(left.kinds[0].kind).toBe("noise");
  });
});
