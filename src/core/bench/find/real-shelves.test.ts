import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import type { FittedBand } from "../report";
import { bandDb } from "./band-model";
import { fittedBands } from "./fit-bands";
import { regroupedShelves } from "./real-shelves";

const RATE = 48_000;
const hertz = Array.from({ length: 240 }, (_, i) => 20 * 2 ** (i / 24)).filter((hz) => hz < 0.46 * RATE);
const shelf = (kind: "low shelf" | "high shelf", at: number, gainDb: number, q: number): FittedBand => ({
  kind,
  hertz: at,
  gainDb,
  q,
  slopeDbPerOctave: null,
});
const curveOf = (bands: readonly FittedBand[], way: "analogue" | "bilinear") =>
  hertz.map((hz) => bands.reduce((sum, band) => sum + bandDb(band, hz, RATE, way), 0));

describe("a bass and a treble control", () => {
  it("are told as the two shelves they are, not as wide ones that cross each other", () => {
    const random = seededRandom(11);
    for (let n = 0; n < 6; n++) {
      const within = (from: number, to: number) => from + (to - from) * random();
      const sign = () => (random() < 0.5 ? -1 : 1);
      const low = shelf("low shelf", within(80, 200), sign() * within(3, 8), within(0.4, 0.5));
      const high = shelf("high shelf", within(2000, 5000), sign() * within(3, 8), within(0.4, 0.5));
      const way = n % 2 === 0 ? "analogue" : "bilinear";
      const { bands, gainDb, misfitDb } = fittedBands(hertz, curveOf([low, high], way), RATE);
      expect(misfitDb).toBeLessThan(0.01);
      expect(gainDb).toBeCloseTo(0, 1);
      expect(bands.map(({ kind }) => kind)).toEqual(["low shelf", "high shelf"]);
      for (const [told, made] of [
        [bands[0], low],
        [bands[1], high],
      ]) {
        expect(Math.abs(told.hertz / made.hertz - 1)).toBeLessThan(0.03);
        expect(told.gainDb).toBeCloseTo(made.gainDb ?? 0, 1);
        expect(told.q).toBeCloseTo(made.q ?? 0, 1);
      }
    }
  });

  it("leave bands alone that stand apart, or have complex poles", () => {
    expect(regroupedShelves([shelf("low shelf", 100, 4, 0.45), shelf("high shelf", 3000, -3, 0.45)])).toBeNull();
    expect(regroupedShelves([shelf("low shelf", 500, 4, 0.7), shelf("high shelf", 600, -3, 0.7)])).toBeNull();
    expect(regroupedShelves([shelf("low shelf", 500, 4, 0.2)])).toBeNull();
  });
});

describe("a shelf near the top of the band", () => {
  it("is told as a shelf though a bell comes about as near", () => {
    const made = shelf("high shelf", 18_000, 4, 0.6);
    const { bands } = fittedBands(hertz, curveOf([made], "bilinear"), RATE);
    expect(bands).toHaveLength(1);
    expect(bands[0]).toMatchObject({ kind: "high shelf", gainDb: expect.closeTo(4, 1), q: expect.closeTo(0.6, 1) });
    expect(Math.abs(bands[0].hertz / 18_000 - 1)).toBeLessThan(0.01);
  });
});
