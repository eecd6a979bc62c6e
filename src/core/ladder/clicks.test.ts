import { describe, expect, it } from "vitest";
import { clipOf, type Sound, soundOf } from "../audio/sound";
import type { Exception } from "../survey/survey";
import { clicksBesideCurve } from "./clicks";

// Common practice: what a model does at one peak is judged by what it does at others as high.

const RATE = 8000;
const SECONDS = 2;
const sound = (work: (n: number) => number): Sound =>
  soundOf({ sampleRateHz: RATE, channels: [Float32Array.from({ length: SECONDS * RATE }, (_, n) => work(n))] });
const region = { startFrame: 0, endFrame: SECONDS * RATE };
const AT = RATE;
const tone = (n: number) => 0.5 * Math.sin((2 * Math.PI * 100 * n) / RATE);
const click: Exception = { startSeconds: 1, endSeconds: 1, what: "click", residualDb: -40 };
const told = (input: Sound, left: Sound) => {
  const [x] = clipOf(input).channels;
  const [rest] = clipOf(left).channels;
  const yonder = sound((n) => x[n] + rest[n]);
  return clicksBesideCurve([click], input, input, yonder, region);
};

describe("a click beside a curve", () => {
  it("is one where the curve holds at other peaks as high", () => {
    expect(
      told(
        sound(tone),
        sound((n) => (n === AT ? 0.01 : 1e-5 * Math.sin(n))),
      ),
    ).toEqual([click]);
  });

  it("is none where as much is left at other peaks", () => {
    expect(
      told(
        sound(tone),
        sound((n) => (n === AT || Math.abs(tone(n)) > 0.49 ? 0.01 : 0)),
      ),
    ).toEqual([]);
  });

  it("nor at a peak that no other comes up to, on its own side", () => {
    const peak = (sign: number) => sound((n) => (n === AT ? sign * 0.9 : tone(n) - 0.2));
    const one = sound((n) => (n === AT ? 0.01 : 0));
    expect(told(peak(1), one)).toEqual([]);
    expect(told(peak(-1), one)).toEqual([]);
    // As low as this it comes in every period, as high as this in none.
    expect(
      told(
        sound((n) => (n === AT ? -0.6 : tone(n) - 0.2)),
        one,
      ),
    ).toEqual([click]);
    expect(
      told(
        sound((n) => (n === AT ? 0.6 : tone(n) - 0.2)),
        one,
      ),
    ).toEqual([]);
  });

  it("and there is none without any", () => {
    expect(clicksBesideCurve([], sound(tone), sound(tone), sound(tone), region)).toEqual([]);
  });
});
