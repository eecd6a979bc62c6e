import { describe, expect, it } from "vitest";
import { channelView } from "../audio/channel-view";
import type { Clip } from "../audio/clip";
import { soundOf } from "../audio/sound";
import { averagedSpectra } from "../spectrum/averaged";
import { noise, sine } from "../stimuli/signals";
import { stereoBands } from "./bands";
import { PLANE_CELLS, phasePlane } from "./plane";
import { stereoFigures } from "./width";

const region = (clip: Clip) => ({ startFrame: 0, endFrame: clip.channels[0].length });
const figures = (clip: Clip) => stereoFigures(soundOf(clip), region(clip));
const withChannels = (...channels: Float32Array[]): Clip => ({ sampleRateHz: 48_000, channels });
const [a, b] = noise(2, 0.3, 5).channels;

function bands(clip: Clip, hertz: number[]) {
  const view = (name: "left" | "right" | "mid" | "side") => {
    const found = averagedSpectra([channelView(soundOf(clip), name)], region(clip), 4096);
    if (!found) throw new Error("no segment fits");
    return found;
  };
  return stereoBands({ left: view("left"), right: view("right"), mid: view("mid"), side: view("side") }, 0, hertz, 3);
}

describe("how wide a sound is", () => {
  it("is told of equal, opposite and unlike channels", () => {
    // Equal channels have no side: no figure rather than a very low one. By hand: correlation 1, no loss in mono.
    expect(figures(withChannels(a, a))).toMatchObject({ widthDb: null, correlation: 1, balanceDb: 0, monoLossDb: 0 });
    expect(
      figures(
        withChannels(
          a,
          a.map((v) => -v),
        ),
      ),
    ).toMatchObject({ widthDb: null, monoLossDb: null });
    const unlike = figures(withChannels(a, b));
    expect(Math.abs(unlike.correlation ?? 1)).toBeLessThan(0.02);
    expect(unlike.widthDb).toBeCloseTo(0, 0);
    // What has nothing to do with each other adds up by power: 3.01 dB under what equal channels would.
    expect(unlike.monoLossDb).toBeCloseTo(-3.01, 1);
    expect(
      figures(
        withChannels(
          a,
          a.map((v) => v / 2),
        ),
      ).balanceDb,
    ).toBeCloseTo(-6.02, 2);
    expect(figures(withChannels(a))).toEqual({ widthDb: null, correlation: null, balanceDb: null, monoLossDb: null });
  });

  it("is told band by band", () => {
    const [low] = sine({ hertz: 200, peakDbfs: -12, seconds: 2, channels: 1 }).channels;
    const [high] = sine({ hertz: 5000, peakDbfs: -12, seconds: 2, channels: 1 }).channels;
    // Low tones alike, high ones inverted against each other, with a little noise to tell a width by.
    const clip = withChannels(
      low.map((v, i) => v + high[i] + 1e-2 * a[i]),
      low.map((v, i) => v - high[i] / 2 + 1e-2 * b[i]),
    );
    const { correlation, widthDb, balanceDb, monoLossDb } = bands(clip, [200, 5000, 1000]);
    expect(monoLossDb[0]).toBeCloseTo(0, 2);
    expect(monoLossDb[2]).toBeCloseTo(-3.01, 0);
    // 2 (h/4)² over h² (1 + 1/4): a tenth.
    expect(monoLossDb[1]).toBeCloseTo(-10, 1);
    expect(correlation[0]).toBeCloseTo(1, 2);
    expect(correlation[1]).toBeCloseTo(-1, 2);
    expect(Math.abs(correlation[2])).toBeLessThan(0.25);
    expect(widthDb[0]).toBeLessThan(-30);
    // m = h/4, s = 3h/4: 9.54 dB.
    expect(widthDb[1]).toBeCloseTo(9.54, 1);
    expect(balanceDb[1]).toBeCloseTo(-6.02, 1);
  });

  it("is not told where only rounding is left", () => {
    // A low tone in the middle, in 16 bits: high up there is nothing but what rounding left, wide as it may be.
    const [low] = sine({ hertz: 200, peakDbfs: -12, seconds: 2, channels: 1 }).channels;
    const rounded = (v: number, noise: number) => Math.round(v * 32_768 + noise) / 32_768;
    const clip = withChannels(
      low.map((v, i) => rounded(v, a[i])),
      low.map((v, i) => rounded(v, b[i])),
    );
    const { widthDb, correlation } = bands(clip, [200, 10_000]);
    expect(widthDb[0]).toBeLessThan(-60);
    expect([widthDb[1], correlation[1]]).toEqual([Number.NaN, Number.NaN]);
  });

  it("is no figure in bands that hold nothing", () => {
    const silent = withChannels(new Float32Array(48_000), new Float32Array(48_000));
    const { widthDb, balanceDb, correlation } = bands(silent, [100, 1000]);
    for (const values of [widthDb, balanceDb, correlation]) expect([...values].every(Number.isNaN)).toBe(true);
  });
});

describe("the plane of side and mid", () => {
  const plane = (clip: Clip) => phasePlane(soundOf(clip), region(clip));
  const middle = (PLANE_CELLS - 1) / 2;
  /** Cells that hold anything, as how far to the right and how far up they lie, −1 to 1. */
  const places = (clip: Clip) =>
    [...(plane(clip)?.counts ?? [])].flatMap((count, i) =>
      count > 0
        ? [{ x: ((i % PLANE_CELLS) - middle) / middle, y: (middle - Math.floor(i / PLANE_CELLS)) / middle, count }]
        : [],
    );

  it("stands upright for mono, lies for the opposite, leans for one channel alone", () => {
    expect(places(withChannels(a, a)).every(({ x }) => x === 0)).toBe(true);
    const opposite = a.map((v) => -v);
    expect(places(withChannels(a, opposite)).every(({ y }) => y === 0)).toBe(true);
    const none = new Float32Array(a.length);
    // By convention the left channel leans to the left: up and to the left where it is positive.
    expect(places(withChannels(a, none)).every(({ x, y }) => Math.abs(x + y) < 0.02)).toBe(true);
    expect(places(withChannels(none, a)).every(({ x, y }) => Math.abs(x - y) < 0.02)).toBe(true);
  });

  it("counts every frame within its reach, and nothing where there is nothing to see", () => {
    const found = plane(withChannels(a, b));
    expect(found?.counts.reduce((sum, v) => sum + v, 0)).toBe(a.length);
    expect(found?.reach).toBeCloseTo(0.3, 3);
    expect(plane(withChannels(a))).toBeNull();
    expect(plane(withChannels(new Float32Array(10), new Float32Array(10)))).toBeNull();
  });
});
