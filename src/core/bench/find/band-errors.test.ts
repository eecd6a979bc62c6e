import { describe, expect, it } from "vitest";
import { seededRandom } from "../../audio/random";
import type { FittedBand } from "../report";
import { bandErrors, isKindOpen } from "./band-errors";
import { bandDb } from "./band-model";
import { fittedBands, refittedBands } from "./fit-bands";

// Held against simulation: the same curve with noise of known size, many times.

const rateHz = 48_000;
const hertz = Array.from({ length: 160 }, (_, i) => 20 * 2 ** (i / 16.5));
const within = hertz.filter((hz) => hz < 0.42 * rateHz);
const normal = (seed: number) => {
  const random = seededRandom(seed);
  return () => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
};
const curveOf = (bands: readonly FittedBand[]) =>
  within.map((hz) => bands.reduce((db, band) => db + bandDb(band, hz, rateHz, "analogue"), 0));
const bell: FittedBand = { kind: "bell", hertz: 900, gainDb: 4, q: 1.2, slopeDbPerOctave: null };
const shelf: FittedBand = { kind: "high shelf", hertz: 6000, gainDb: -3, q: 0.7, slopeDbPerOctave: null };

describe("what bands are known to", () => {
  it("is twice what noise moves fits by: neighbouring points of a response are off alike", () => {
    const noiseDb = 0.2;
    const found = Array.from({ length: 40 }, (_, seed) => {
      const random = normal(seed + 1);
      return refittedBands(
        [bell, shelf],
        within,
        curveOf([bell, shelf]).map((db) => db + noiseDb * random()),
        rateHz,
      );
    });
    const spread = (of: (bands: FittedBand[]) => number) => {
      const values = found.map(({ bands }) => of(bands));
      const mean = values.reduce((sum, v) => sum + v, 0) / values.length;
      return Math.sqrt(values.reduce((sum, v) => sum + (v - mean) ** 2, 0) / (values.length - 1));
    };
    const errorDb = within.map(() => noiseDb);
    const [ofBell, ofShelf] = bandErrors([bell, shelf], { hertz: within, errorDb, rateHz }, "analogue");
    for (const [error, is] of [
      [ofBell.hertz, spread(([b]) => b.hertz)],
      [ofBell.gainDb ?? 0, spread(([b]) => b.gainDb ?? 0)],
      [ofBell.q ?? 0, spread(([b]) => b.q ?? 0)],
      [ofShelf.hertz, spread(([, s]) => s.hertz)],
      [ofShelf.gainDb ?? 0, spread(([, s]) => s.gainDb ?? 0)],
    ]) {
      expect(error / (2 * is)).toBeGreaterThan(0.65);
      expect(error / (2 * is)).toBeLessThan(1.5);
    }
  });

  it("leaves the kind of a band open where noise hides what tells a bell from a shelf, and of no clear one", () => {
    const judged = (band: FittedBand, noiseDb: number) => {
      const random = normal(3);
      const errorDb = within.map(() => noiseDb);
      const magnitudeDb = curveOf([band]).map((db) => db + noiseDb * random());
      const fit = fittedBands(within, magnitudeDb, rateHz, { flatDb: 3 * noiseDb, enoughDb: 1.2 * noiseDb });
      return isKindOpen(fit, { hertz: within, magnitudeDb, errorDb, rateHz });
    };
    expect(judged({ ...bell, hertz: 14_000, gainDb: 1.5, q: 0.8 }, 0.3)).toBe(true);
    expect(judged(bell, 0.3)).toBe(false);
    expect(judged({ ...shelf, hertz: 3000 }, 0.2)).toBe(false);
    expect(judged({ ...bell, hertz: 14_000, gainDb: 1.5, q: 0.8 }, 0.01)).toBe(false);
  });
});
