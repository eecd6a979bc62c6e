import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { doubles } from "../kernels/kernels";
import { addSpectra, sumsBytes } from "../kernels/products";
import { noise } from "../stimuli/signals";
import { forwardReal, whileTransformed } from "./fft";
import { hannWindow } from "./window";

const signalsOf = (count: number, length: number) =>
  Array.from({ length: count }, (_, i) => noise(length / 48_000, 0.5, 40 + i, 1).channels[0].slice(0, length));

/** Spectra of windows one by one, by the transform that is checked against fft.js. */
function oneByOne(signal: Float32Array, window: Float64Array, hop: number, count: number): Float64Array[] {
  return Array.from({ length: count }, (_, n) =>
    forwardReal(
      window.map((w, i) => w * signal[n * hop + i]),
      window.length,
    ),
  );
}

describe("spectra that stay in memory", () => {
  it("are those of each window by itself, to the last bit", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(64, 1024, 4096),
        fc.integer({ min: 1, max: 5 }),
        fc.integer({ min: 1, max: 3 }),
        (size, count, signals) => {
          const window = hannWindow(size);
          const hop = size / 2;
          const given = signalsOf(signals, (count - 1) * hop + size);
          whileTransformed(given, window, hop, count, 16, (spectraAt) => {
            for (const [s, at] of spectraAt.entries()) {
              const wanted = oneByOne(given[s], window, hop, count);
              for (const [n, spectrum] of wanted.entries())
                expect(doubles(at + n * 8 * (size + 2), size + 2)).toEqual(spectrum);
            }
          });
        },
      ),
      { numRuns: 12 },
    );
  });

  it("add up to powers, maxima and cross-spectra as by hand", () => {
    const [size, count] = [256, 4];
    const [window, bins] = [hannWindow(size), size / 2 + 1];
    const given = signalsOf(3, (count - 1) * 128 + size);
    const make = (length: number, n: number) => Array.from({ length: n }, () => new Float64Array(length));
    const sums = { powers: make(bins, 3), maxima: make(bins, 3), crosses: make(2 * bins, 2) };
    // Twice, so that what was there before is added to.
    for (const _ of [1, 2])
      whileTransformed(given, window, 128, count, sumsBytes(3, bins), (spectraAt, roomAt) =>
        addSpectra(spectraAt, roomAt, bins, count, sums),
      );
    const spectra = given.map((signal) => oneByOne(signal, window, 128, count));
    for (let k = 0; k < bins; k++) {
      for (let s = 0; s < 3; s++) {
        const powers = spectra[s].map((x) => x[2 * k] ** 2 + x[2 * k + 1] ** 2);
        expect(sums.powers[s][k]).toBeCloseTo(2 * powers.reduce((a, b) => a + b, 0), 9);
        expect(sums.maxima[s][k]).toBeCloseTo(Math.max(...powers), 9);
      }
      // conj(first) · other
      const cross = spectra[0].map((x, n) => {
        const y = spectra[1][n];
        return [x[2 * k] * y[2 * k] + x[2 * k + 1] * y[2 * k + 1], x[2 * k] * y[2 * k + 1] - x[2 * k + 1] * y[2 * k]];
      });
      expect(sums.crosses[0][2 * k]).toBeCloseTo(2 * cross.reduce((a, [re]) => a + re, 0), 9);
      expect(sums.crosses[0][2 * k + 1]).toBeCloseTo(2 * cross.reduce((a, [, im]) => a + im, 0), 9);
    }
  });
});
