import { describe, expect, it } from "vitest";
import { type Clip, frameCount } from "../audio/clip";
import { soundOf } from "../audio/sound";
import { explainPair } from "../explain/explain";
import { music, taken, throughProcessors } from "../testing/chains";
import { causesOf } from "./causes";

// What processors do is known by how they were set.

const LOW = 16_000;
const here = music(10, 1, 1, LOW);
const bell = (frequencyHz: number, gainDb: number) =>
  throughProcessors(here, ["bilinear-equalizer", { bands: [{ kind: "bell", frequencyHz, gainDb, q: 1 }] }]);
const [first, second] = [bell(900, 5), bell(3000, -6)];
const low = bell(70, 6);
const changedAt = (seconds: number, a: Clip, b: Clip): Clip => ({
  ...here,
  channels: [a.channels[0].map((v, n) => (n < seconds * LOW ? v : b.channels[0][n]))],
});
const END = frameCount(here) / LOW;

describe("an equalizer that is set anew at one moment", () => {
  it.each([
    [6, first, second, { hertz: 900, gainDb: 5 }, { startSeconds: 6, endSeconds: END }],
    [6, low, second, { hertz: 70, gainDb: 6 }, { startSeconds: 6, endSeconds: END }],
    [4, first, second, { hertz: 3000, gainDb: -6 }, { startSeconds: 0, endSeconds: 4 }],
  ])("is told as it is for longer, except before or after (%s s)", (seconds, a, b, band, except) => {
    const { causes, exceptions } = taken(here, changedAt(seconds, a, b));
    const [{ bands }] = causesOf(causes, "eq");
    expect(bands).toHaveLength(1);
    expect(Math.abs(bands[0].hertz / band.hertz - 1)).toBeLessThan(0.03);
    expect(bands[0].gainDb).toBeCloseTo(band.gainDb, 0);
    expect(exceptions).toHaveLength(1);
    expect(exceptions[0].what).toBe("different");
    expect(Math.abs(exceptions[0].startSeconds - except.startSeconds)).toBeLessThan(0.21);
    expect(Math.abs(exceptions[0].endSeconds - except.endSeconds)).toBeLessThan(0.21);
    expect(causes.filter(({ cause }) => cause === "gainOverTime" || cause === "gainInBands")).toEqual([]);
  });

  it("is none where it stays as it is, nor where gain moves all the time", () => {
    expect(taken(here, first).exceptions).toEqual([]);
    const ridden = { ...here, channels: [first.channels[0].map((v, n) => v * (0.7 + 0.3 * Math.sin(n / LOW)))] };
    expect(taken(here, ridden).exceptions).toEqual([]);
  });
});

describe("samples that are lost at one moment", () => {
  // So many fewer frames from there on: all of it is one and the same, laid by the larger part.
  it.each([
    [3, -512, 0, 3],
    [7, 0, 7, END],
  ])("are told by the part that lies elsewhere (%s s)", (seconds, delay, startSeconds, endSeconds) => {
    const [all] = here.channels;
    const [at, lost] = [seconds * LOW, 512];
    const shorter = Float32Array.from({ length: all.length - lost }, (_, n) => all[n < at ? n : n + lost]);
    const outcome = explainPair({
      here: { file: "here", sound: soundOf(here) },
      yonder: { file: "yonder", sound: soundOf({ ...here, channels: [shorter] }) },
    });
    if (!outcome.ok) throw new Error(outcome.reason);
    const { causes, exceptions } = outcome.value;
    expect(causesOf(causes, "delay").map(({ samples }) => samples)).toEqual(delay === 0 ? [] : [delay]);
    expect(causesOf(causes, "eq")).toEqual([]);
    const different = exceptions.filter(({ what }) => what === "different");
    expect(different).toHaveLength(1);
    expect(Math.abs(different[0].startSeconds - startSeconds)).toBeLessThan(0.15);
    expect(Math.abs(different[0].endSeconds - endSeconds)).toBeLessThan(0.15);
  });
});
