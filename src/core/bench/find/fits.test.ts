import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { fittedAllPass } from "../read/all-pass-fit";
import { readStaticCurve } from "../read/static-curve";
import { fittedCurve } from "./least-squares";

const xs = Array.from({ length: 40 }, (_, i) => i / 4);

describe("least squares", () => {
  it("finds what made a curve: a line, an exponential, a bell", () => {
    const line = fittedCurve(
      [
        { start: 0, lowest: -10, highest: 10, step: 1e-3 },
        { start: 0, lowest: -10, highest: 10, step: 1e-3 },
      ],
      xs.map((x) => 2.5 * x - 4),
      ([a, b]) => xs.map((x) => a * x + b),
    );
    expect(line.values[0]).toBeCloseTo(2.5, 6);
    expect(line.values[1]).toBeCloseTo(-4, 6);
    expect(line.rms).toBeLessThan(1e-6);
    const decay = fittedCurve(
      [
        { start: 1, lowest: 0, highest: 100, step: 1e-3 },
        { start: 1, lowest: 0.01, highest: 50, step: 1e-3 },
      ],
      xs.map((x) => 7 * Math.exp(-x / 3)),
      ([a, t]) => xs.map((x) => a * Math.exp(-x / t)),
    );
    expect(decay.values[0]).toBeCloseTo(7, 4);
    expect(decay.values[1]).toBeCloseTo(3, 4);
  });

  it("keeps within bounds, and is no worse than where it began", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -5, max: 5, noNaN: true }),
        fc.double({ min: 0.5, max: 5, noNaN: true }),
        fc.array(fc.double({ min: -20, max: 20, noNaN: true }), { minLength: 40, maxLength: 40 }),
        (start, most, wanted) => {
          const curve = ([a]: readonly number[]) => xs.map((x) => a * Math.sin(x) + a * a);
          const fitted = fittedCurve([{ start, lowest: -most, highest: most, step: 1e-3 }], wanted, curve);
          expect(Math.abs(fitted.values[0])).toBeLessThanOrEqual(most);
          const begun = Math.min(most, Math.max(-most, start));
          const errorOf = (a: number) =>
            Math.sqrt(curve([a]).reduce((sum, v, i) => sum + (v - wanted[i]) ** 2, 0) / wanted.length);
          expect(fitted.rms).toBeLessThanOrEqual(errorOf(begun) + 1e-9);
          expect(fitted.rms).toBeCloseTo(errorOf(fitted.values[0]), 9);
        },
      ),
      { numRuns: 40 },
    );
  });
});

/** Phase of all-passes in the bilinear way, by complex arithmetic of its own: z = e^{jω}, each section (z⁻¹ form) by its poles. */
function phaseOf(sections: readonly { hertz: number; q: number | null }[], hertz: number, rateHz: number): number {
  const w = Math.tan((Math.PI * hertz) / rateHz);
  return sections.reduce((sum, section) => {
    const u = w / Math.tan((Math.PI * section.hertz) / rateHz);
    return sum - 2 * (section.q === null ? Math.atan(u) : Math.atan2(u / section.q, 1 - u * u));
  }, 0);
}

describe("all-passes", () => {
  const hertz = Array.from({ length: 110 }, (_, i) => 30 * 2 ** (i / 12)).filter((hz) => hz < 21_000);
  it("are found by their phase, with the delay and the polarity beside them", () => {
    for (const sections of [
      [{ hertz: 250, q: 0.71 }],
      [{ hertz: 900, q: null }],
      [
        { hertz: 200, q: Math.SQRT1_2 },
        { hertz: 3000, q: Math.SQRT1_2 },
      ],
      [
        { hertz: 120, q: null },
        { hertz: 1500, q: 2 },
      ],
    ])
      for (const [delaySamples, half] of [
        [0, 0],
        [0.37, 1],
      ]) {
        const phases = hertz.map(
          (hz) => half * Math.PI + phaseOf(sections, hz, 48_000) - (2 * Math.PI * hz * delaySamples) / 48_000,
        );
        const model = fittedAllPass(hertz, phases, 48_000);
        expect(model?.sections).toHaveLength(sections.length);
        for (const [i, found] of (model?.sections ?? []).entries())
          expect(found.hertz / sections[i].hertz).toBeCloseTo(1, 2);
        expect(model?.delaySamples).toBeCloseTo(delaySamples, 2);
        expect(model?.polarity).toBe(half === 0 ? 1 : -1);
      }
  });

  it("are none where phase is none of theirs", () => {
    // It runs ahead with frequency and back again.
    expect(
      fittedAllPass(
        hertz,
        hertz.map((hz) => 3 * Math.sin(8 * Math.log2(hz))),
        48_000,
      ),
    ).toBeNull();
  });
});

describe("a level law by its points", () => {
  const levels = Array.from({ length: 20 }, (_, i) => -58 + 3 * i);
  it("is found to the hundredth where they follow one", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -45, max: -12, noNaN: true }),
        fc.double({ min: 1.3, max: 30, noNaN: true }),
        fc.double({ min: 0, max: 18, noNaN: true }),
        fc.double({ min: -20, max: 20, noNaN: true }),
        (threshold, ratio, knee, gain) => {
          // Giannoulis, Massberg and Reiss 2012, equation 4, written out.
          const out = (x: number) => {
            if (2 * (x - threshold) < -knee) return x;
            if (2 * Math.abs(x - threshold) <= knee && knee > 0)
              return x + ((1 / ratio - 1) * (x - threshold + knee / 2) ** 2) / (2 * knee);
            return threshold + (x - threshold) / ratio;
          };
          const staticCurve = readStaticCurve(levels.map((inDbfs) => ({ inDbfs, outDbfs: out(inDbfs) + gain })));
          expect(Math.abs((staticCurve?.thresholdDbfs ?? 99) - threshold)).toBeLessThan(0.3);
          expect(Math.abs((staticCurve?.ratio ?? 99) / ratio - 1)).toBeLessThan(0.05);
          expect(staticCurve?.gainDb).toBeCloseTo(gain, 1);
        },
      ),
      { numRuns: 40 },
    );
  });

  it("is none where they jump, rise or stay", () => {
    const told = (out: (x: number) => number) => readStaticCurve(levels.map((x) => ({ inDbfs: x, outDbfs: out(x) })));
    expect(told((x) => x - 6)).toBeNull();
    expect(told((x) => (x > -30 ? x - 12 : x))?.ratio).toBeNull();
    expect(told((x) => 1.5 * x)?.ratio).toBeNull();
    expect(told((x) => x + 3 * Math.sin(x))?.thresholdDbfs).toBeNull();
  });
});
