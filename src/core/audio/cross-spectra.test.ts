import { describe, expect, it } from "vitest";
import { addCross, crossSums } from "./cross-spectra";
import { forwardReal, windowedSpectrum } from "./fft";
import { seededRandom } from "./random";
import { hannWindow } from "./window";

const POINTS = 256;
const window = hannWindow(POINTS);
const random = seededRandom(4);
const noise = Float64Array.from({ length: 64 * POINTS }, () => random() - 0.5);

/** Sums over half overlapped segments. */
function sumsOf(x: Float64Array, y: Float64Array) {
  const sums = crossSums(POINTS / 2 + 1);
  for (let at = 0; at + POINTS <= x.length; at += POINTS / 2) {
    addCross(sums, windowedSpectrum(x, at, window), windowedSpectrum(y, at, window));
    sums.segments++;
  }
  return sums;
}

describe("a spectrum under a window", () => {
  it("is that of the signal times the window", () => {
    const piece = window.map((w, i) => w * noise[100 + i]);
    expect(windowedSpectrum(noise, 100, window)).toEqual(forwardReal(piece, POINTS));
  });
});

describe("cross spectra", () => {
  it("hold gain and sign: of a signal and twice it upside down, −2 in every bin, with full coherence", () => {
    const { xx, yy, re, im } = sumsOf(
      noise,
      noise.map((v) => -2 * v),
    );
    for (let k = 1; k < POINTS / 2; k++) {
      expect(re[k] / xx[k]).toBeCloseTo(-2, 9);
      expect(im[k] / xx[k]).toBeCloseTo(0, 9);
      expect((re[k] ** 2 + im[k] ** 2) / (xx[k] * yy[k])).toBeCloseTo(1, 9);
    }
  });

  it("hold a delay as phase: a frame late turns bin k by −2π k / points (shift theorem)", () => {
    const late = Float64Array.from(noise, (_, n) => noise[n - 1] ?? 0);
    const { re, im } = sumsOf(noise, late);
    for (const k of [8, 40, 100]) {
      const phase = Math.atan2(im[k], re[k]);
      expect(phase).toBeCloseTo((-2 * Math.PI * k) / POINTS, 1);
    }
  });

  it("of signals that have nothing to do with each other come to a coherence of about one over the segments", () => {
    const other = Float64Array.from(noise, () => random() - 0.5);
    const { xx, yy, re, im, segments } = sumsOf(noise, other);
    let coherence = 0;
    for (let k = 1; k < POINTS / 2; k++) coherence += (re[k] ** 2 + im[k] ** 2) / (xx[k] * yy[k]);
    // Half overlapped Hann segments count for about nine tenths each (Welch 1967).
    expect((coherence / (POINTS / 2 - 1)) * segments).toBeGreaterThan(0.6);
    expect((coherence / (POINTS / 2 - 1)) * segments).toBeLessThan(1.8);
  });
});
