import { describe, expect, it } from "vitest";
import {
  clock,
  decibels,
  frequencyWords,
  kilohertz,
  megabytes,
  number,
  overlapWords,
  percentWords,
  plural,
  rangeOfHertz,
  shortClock,
  signed,
  signedDecibels,
  timeWords,
  withUnit,
} from "./units";

describe("figures for people", () => {
  it("name the overlap they were measured on where that is not all", () => {
    expect([1, 0.9995, 0].map(overlapWords)).toEqual(["", "", "no overlap"]);
    expect(overlapWords(0.776)).toBe("on a 77\u2009% overlap");
  });

  it("use a real minus sign, a fixed number of decimals, and a dash for no figure", () => {
    expect(number(-16.24)).toBe("−16.2");
    expect(number(-0.04)).toBe("0.0");
    expect(number(2.7149, 2)).toBe("2.71");
    for (const none of [null, undefined, Number.NaN, Number.NEGATIVE_INFINITY]) expect(number(none)).toBe("–");
  });

  it("show the sign of a gain always", () => {
    expect(signed(2.71, 2)).toBe("+2.71");
    expect(signed(-2.71, 2)).toBe("−2.71");
    expect(signed(null)).toBe("–");
  });

  it("set a thin space before the unit, and no unit after a dash", () => {
    expect(decibels(-2, "dBTP")).toBe("−2.0\u2009dBTP");
    expect(withUnit("–", "dB")).toBe("–");
    expect(kilohertz(44_100)).toBe("44.1\u2009kHz");
    expect(megabytes(41_400_000)).toBe("41\u2009MB");
    expect(megabytes(20)).toBe("under 1\u2009MB");
  });

  it("write times to the millisecond, without a sixtieth second", () => {
    expect(clock(7.48)).toBe("0:07.480");
    expect(clock(59.9996)).toBe("1:00.000");
    expect(clock(754.0205)).toBe("12:34.021");
    expect(shortClock(59.7)).toBe("1:00");
    expect(plural(1, "render")).toBe("1 render");
    expect(plural(2, "entry", "entries")).toBe("2 entries");
  });

  it("never write a minus before nought, in levels, gains, times and shares", () => {
    for (const small of [-0.04, -0, 0.04]) {
      expect(decibels(small)).toBe("0.0\u2009dB");
      expect(signedDecibels(small)).toBe("0.0\u2009dB");
      expect(timeWords(small)).toBe("0:00.0");
      expect(percentWords(small / 100)).toBe("0\u2009%");
    }
  });

  it("write frequencies to what a measurement is worth: Hz below 1000, kHz above", () => {
    expect([85.4, 999, 1200, 12_500].map(frequencyWords)).toEqual([
      "85.4\u2009Hz",
      "999\u2009Hz",
      "1.2\u2009kHz",
      "12.5\u2009kHz",
    ]);
    expect(rangeOfHertz(2400, 4000)).toBe("2.4 to 4.0\u2009kHz");
    expect(rangeOfHertz(800, 4000)).toBe("800\u2009Hz to 4\u2009kHz");
  });
});
