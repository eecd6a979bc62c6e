import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Biquad } from "../audio/biquad";
import type { Clip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { soundOf } from "../audio/sound";
import { music, throughProcessors } from "../testing/chains";
import { fitCascade } from "./cascade-fit";
import { movedRow } from "./linear-stages";
import { energyOf, pairSignals } from "./pair-signals";
import { expandedStep, expansionOf, retied, tiedEquations, tiesOf } from "./tied-sections";

const LOW = 16_000;
const quiet = () => {};

describe("a cut made of the same section over and over", () => {
  it("is found to its rounding, as stages in a row and as Linkwitz and Riley have it", () => {
    const here = music(6, 1, 1, LOW);
    const cut = (slopeDbPerOctave: number) => ({ kind: "low cut", frequencyHz: 120, slopeDbPerOctave });
    // Four of second order; two of Butterworth's fourth.
    for (const bands of [
      [cut(12), cut(12), cut(12), cut(12)],
      [cut(24), cut(24)],
    ]) {
      const yonder = throughProcessors(here, ["bilinear-equalizer", { bands }]);
      const pair = pairSignals(soundOf(here), soundOf(yonder), { startFrame: 0, endFrame: 6 * LOW });
      const found = fitCascade(pair, quiet);
      // Files hold 32-bit floats: 24 bits, −146 dB of each sample; steep low cuts in single precision leave more.
      expect(10 * Math.log10((found?.left ?? 1) / energyOf(pair.judged, pair.yonder))).toBeLessThan(-85);
    }
  });
});

describe("a row of biquads", () => {
  const pairOf = (here: Clip, yonder: Clip) =>
    pairSignals(soundOf(here), soundOf(yonder), { startFrame: 0, endFrame: here.channels[0].length });

  it("is not what leads to a linear phase, however near its magnitude comes", () => {
    const here = music(6, 1, 1, LOW);
    const bands = [{ kind: "bell", frequencyHz: 500, gainDb: 6, q: 1 }];
    const found = (key: string) => fitCascade(pairOf(here, throughProcessors(here, [key, { bands }])), quiet);
    expect(found("linear-phase-equalizer")).toBe(null);
    expect(found("bilinear-equalizer")?.stage.sections[0]).toHaveLength(1);
  });

  it("is a cut also where what it takes is not known for want of sound", () => {
    // A low note at 130 Hz over soft noise: a cut at 120 Hz of 48 dB an octave is read down to −20 dB or so.
    const random = seededRandom(3);
    const samples = Float32Array.from(
      { length: 6 * LOW },
      (_, n) => 0.4 * Math.sin((2 * Math.PI * 130 * n) / LOW) + 0.02 * (random() - 0.5),
    );
    const here: Clip = { sampleRateHz: LOW, channels: [samples] };
    const cut = { kind: "low cut", frequencyHz: 120, slopeDbPerOctave: 12 };
    const pair = pairOf(here, throughProcessors(here, ["bilinear-equalizer", { bands: [cut, cut, cut, cut] }]));
    const found = fitCascade(pair, quiet);
    expect(10 * Math.log10((found?.left ?? 1) / energyOf(pair.judged, pair.yonder))).toBeLessThan(-70);
  });
});

describe("tied sections", () => {
  const biquad = (given: Partial<Biquad> = {}) =>
    fc
      .record({
        b1: fc.double({ min: -1.9, max: 1.9, noNaN: true }),
        b2: fc.double({ min: -0.9, max: 0.9, noNaN: true }),
        r: fc.double({ min: 0.1, max: 0.9, noNaN: true }),
      })
      .map(({ b1, b2, r }): Biquad => ({ b0: 1, b1, b2, a1: -1.5 * r, a2: r * r, ...given }));
  const row = fc
    .tuple(biquad(), biquad(), fc.double({ min: 0.2, max: 5, noNaN: true }))
    .filter(([a, b]) => Math.abs(a.b1 - b.b1) > 0.01)
    .map(([a, b, gain]): Biquad[] => [{ ...a, b0: gain * a.b0, b1: gain * a.b1, b2: gain * a.b2 }, b, a, b]);

  it("are known again, whatever the gain of the first", () => {
    fc.assert(
      fc.property(row, (sections) => {
        expect(tiesOf(sections)).toEqual([0, 1, 0, 1]);
      }),
    );
  });

  it("stay the same when they are moved, and move as one", () => {
    fc.assert(
      fc.property(
        row,
        fc.array(fc.double({ min: -1e-3, max: 1e-3, noNaN: true }), { minLength: 9, maxLength: 9 }),
        (sections, step) => {
          const expansion = expansionOf(sections, [0, 1, 0, 1]);
          expect(expansion.size).toBe(9);
          const moved = movedRow(sections, expandedStep(expansion, Float64Array.from(step)), 1);
          if (!moved) return;
          expect(tiesOf(retied(moved, [0, 1, 0, 1]))).toEqual([0, 1, 0, 1]);
        },
      ),
    );
  });

  it("ask of their few unknowns what all of them would ask together", () => {
    const sections: Biquad[] = [2, 1].map((b0) => ({ b0, b1: 0.5 * b0, b2: 0.25 * b0, a1: -1, a2: 0.5 }));
    const expansion = expansionOf(sections, tiesOf(sections));
    const full = 9;
    const matrix = Float64Array.from(
      { length: full * full },
      (_, i) => 1 / (1 + Math.abs((i % full) - Math.floor(i / full))),
    );
    const gradient = Float64Array.from({ length: full }, (_, i) => i + 1);
    const tied = tiedEquations(expansion, matrix, gradient);
    const step = Float64Array.from({ length: expansion.size }, (_, i) => 0.1 * (i + 1));
    const all = expandedStep(expansion, step);
    const quadratic = (m: Float64Array, v: Float64Array) =>
      v.reduce((sum, a, i) => sum + v.reduce((row, b, j) => row + a * b * m[i * v.length + j], 0), 0);
    const linear = (g: Float64Array, v: Float64Array) => v.reduce((sum, a, i) => sum + a * g[i], 0);
    expect(quadratic(tied.matrix, step)).toBeCloseTo(quadratic(matrix, all), 9);
    expect(linear(tied.gradient, step)).toBeCloseTo(linear(gradient, all), 9);
  });
});
