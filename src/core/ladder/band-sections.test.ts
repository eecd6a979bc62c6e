import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { biquadMagnitudeDb } from "../audio/biquad";
import type { BandsFit } from "../bench/find/fit-bands";
import type { FittedBand } from "../bench/report";
import { bandCentres } from "../spectrum/bands";
import { asRepeatedCut, biquadsOf, misfitOf } from "./band-sections";

const RATE = 48_000;
const cut = (hertz: number, slopeDbPerOctave: number): FittedBand => ({
  kind: "low cut",
  hertz,
  gainDb: null,
  q: null,
  slopeDbPerOctave,
});
const fitOf = (bands: FittedBand[], misfitDb = 0): BandsFit => ({
  bands,
  gainDb: 0,
  realised: null,
  misfitDb,
  mostDb: 0,
});

describe("a cut over and over", () => {
  it("is told as that, at its own corner, where other bands make the curve as well", () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 4 }), fc.double({ min: 30, max: 1000, noNaN: true }), (times, corner) => {
        // Each section takes 3.01 dB at its corner: Butterworth's of second order, by definition.
        const row = biquadsOf(fitOf(Array.from({ length: times }, () => cut(corner, 12))), RATE);
        const hertz = bandCentres(24, 20, 20_000);
        const gainDb = hertz.map((hz) => row.reduce((db, section) => db + biquadMagnitudeDb(section, hz, RATE), 0));
        const curve = { hertz, gainDb };
        const other: FittedBand = { kind: "bell", hertz: corner, gainDb: -6, q: 1, slopeDbPerOctave: null };
        const found = asRepeatedCut(fitOf([cut(corner, 12 * times), other], 0.05), curve, RATE, 0.1);
        expect(found.bands).toHaveLength(times);
        for (const band of found.bands) expect(Math.abs(band.hertz / corner - 1)).toBeLessThan(0.01);
        expect(misfitOf(found, curve, RATE)).toBeLessThan(0.1);
      }),
      { numRuns: 30 },
    );
  });

  it("is not told where a bell stands beside a cut, however narrow, nor a cut alone where a bell is there", () => {
    const bell = (hertz: number, gainDb: number, q: number): FittedBand => ({
      kind: "bell",
      hertz,
      gainDb,
      q,
      slopeDbPerOctave: null,
    });
    const hertz = bandCentres(24, 20, 20_000);
    for (const bands of [
      [cut(80, 24), bell(2000, 5, 1)],
      [cut(80, 12), bell(2000, 1, 10)],
      [cut(80, 12), cut(80, 12), bell(500, -1, 12)],
    ]) {
      const row = biquadsOf(fitOf(bands), RATE);
      const gainDb = hertz.map((hz) => row.reduce((db, section) => db + biquadMagnitudeDb(section, hz, RATE), 0));
      const fit = fitOf(bands, 0.01);
      expect(asRepeatedCut(fit, { hertz, gainDb }, RATE, 0.12)).toBe(fit);
    }
  });
});
