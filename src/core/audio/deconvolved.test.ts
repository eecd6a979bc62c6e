import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { deconvolved, inverseResponse } from "./deconvolved";
import { seededRandom } from "./random";
import { throughFilter } from "./through-filters";

// What a filter did is undone by what divides by its spectrum (Bracewell, The Fourier Transform); the check is to filter again.

const random = seededRandom(11);
const sound = Float64Array.from({ length: 6000 }, (_, n) => (n > 1500 && n < 4500 ? random() - 0.5 : 0));
const energy = (signal: Float64Array) => signal.reduce((sum, v) => sum + v * v, 0);
const offDb = (a: Float64Array, b: Float64Array) =>
  10 * Math.log10(energy(a.map((v, n) => v - b[n])) / energy(a) + 1e-30);

describe("a filter undone", () => {
  it("gives back what went in, at any length, lead and delay", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 600 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.integer(),
        (taps, at, seed) => {
          const own = seededRandom(seed);
          const lead = Math.floor(at * (taps - 1));
          // A tap that outweighs all others leaves no frequency empty.
          const response = Float64Array.from({ length: taps }, () => (own() - 0.5) / taps);
          response[lead] += 1;
          const filtered = throughFilter([sound], { responses: [response], lead });
          expect(offDb(sound, deconvolved(filtered, response, lead))).toBeLessThan(-90);
        },
      ),
      { numRuns: 40 },
    );
  });

  it("leaves alone what the filter took away, instead of blowing it up", () => {
    const notch = Float64Array.of(1, -2, 1);
    const found = deconvolved(
      sound.map(() => 1e-3),
      notch,
      0,
    );
    expect(Math.max(...found.slice(1000, 5000).map(Math.abs))).toBeLessThan(1e-2);
    expect(deconvolved(sound, new Float64Array(8), 0).every(Number.isFinite)).toBe(true);
  });

  it("is a response of its own, which leads back", () => {
    const response = Float64Array.of(0.1, 1, 0.4, -0.2);
    const form = { taps: 512, lead: 128 };
    const inverse = inverseResponse(response, 1, form);
    const there = throughFilter([sound], { responses: [response], lead: 1 });
    expect(offDb(sound, throughFilter([there], { responses: [inverse], lead: form.lead }))).toBeLessThan(-90);
  });
});
