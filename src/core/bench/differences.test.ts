import { describe, expect, it } from "vitest";
import { SMALL_FORM } from "../testing/bench";
import { benchChain } from "./bench";
import { differencesOf } from "./differences";

const flat = benchChain([{ processorKey: "gain", settings: {} }], SMALL_FORM);
const withCurve = (of: (hertz: number, index: number) => number) => ({
  ...flat,
  response: { ...flat.response, magnitudeDb: flat.response.hertz.map(of) },
});

describe("two channels' curves", () => {
  const at = flat.response.hertz.findIndex((hz) => hz > 4000);
  /** Flat up to 3.5 kHz, from there on 6 dB less with each frequency: an anti-alias filter. */
  const edge = (hertz: number, index: number) =>
    hertz > 3500 ? -6 * (index - flat.response.hertz.findIndex((hz) => hz > 3500)) : 0;

  it("differ by a fifth of a dB where they are flat, not on an edge that falls by sixty times as much", () => {
    expect(
      differencesOf(
        withCurve(() => 0),
        withCurve((_, i) => (i === at ? 0.2 : 0)),
        0,
      ),
    ).toEqual(["response"]);
    expect(
      differencesOf(
        withCurve(edge),
        withCurve((hz, i) => edge(hz, i) + (i === at ? 0.2 : 0)),
        0,
      ),
    ).toEqual([]);
  });

  it("differ where one's edge lies a frequency higher", () => {
    expect(
      differencesOf(
        withCurve(edge),
        withCurve((hz, i) => edge(hz, i - 1)),
        0,
      ),
    ).toEqual(["response"]);
  });
});
