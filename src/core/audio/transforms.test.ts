import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { doubles } from "../kernels/kernels";
import { addSpectra, sumsBytes } from "../kernels/products";
import { noise } from "../stimuli/signals";
import {
  addCorrelated,
  filteredInto,
  filteredIntoEach,
  forwardReal,
  inverseReal,
  multipliedInto,
  whileTransformed,
} from "./fft";
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

describe("filters by blocks in memory", () => {
  const size = 64;
  const signal = (seed: number, length: number) =>
    Float64Array.from(noise(length / 48_000, 0.5, seed, 1).channels[0].slice(0, length));
  /** The sum itself. */
  const convolved = (x: Float64Array, h: Float64Array) =>
    Float64Array.from({ length: x.length + h.length - 1 }, (_, n) =>
      h.reduce((sum, v, k) => sum + v * (x[n - k] ?? 0), 0),
    );
  const near = (a: Float64Array, b: Float64Array) => {
    expect(a.length).toBe(b.length);
    for (const [i, v] of a.entries()) expect(v).toBeCloseTo(b[i], 9);
  };
  const [x, y, h, g] = [signal(1, 40), signal(2, 40), signal(3, 9), signal(4, 9)];
  const spectrumOf = (values: Float64Array) => forwardReal(values, size);

  it("are the plain sums, of one input or two, where they are asked for", () => {
    const both = convolved(x, h).map((v, n) => v + convolved(y, g)[n]);
    const output = new Float64Array(30).fill(7);
    filteredInto([x, y], [spectrumOf(h), spectrumOf(g)], { output, at: 5, from: 8, count: 20 });
    near(output.slice(5, 25), both.slice(8, 28));
    expect([output[4], output[25]]).toEqual([7, 7]);
    multipliedInto([spectrumOf(h), spectrumOf(g)], [spectrumOf(x), spectrumOf(y)], {
      output,
      at: 0,
      from: 3,
      count: 30,
    });
    near(output, both.slice(3, 33));
    const each = [new Float64Array(48), new Float64Array(48)];
    filteredIntoEach(x, [spectrumOf(h), spectrumOf(g)], each, { at: 0, from: 0, count: 48 });
    near(each[0], convolved(x, h));
    near(each[1], convolved(x, g));
  });

  it("have a way back: what each tap has to do with a signal", () => {
    const sums = [new Float64Array(size + 2)];
    addCorrelated(y.slice(0, 32), 8, [spectrumOf(x)], sums);
    addCorrelated(y.slice(0, 32), 8, [spectrumOf(x)], sums);
    const taps = inverseReal(sums[0]).slice(0, 9);
    // Twice Σ y(n) · x(n + 8 − k).
    near(
      taps,
      Float64Array.from(
        { length: 9 },
        (_, k) => 2 * y.slice(0, 32).reduce((sum, v, n) => sum + v * (x[n + 8 - k] ?? 0), 0),
      ),
    );
  });
});
