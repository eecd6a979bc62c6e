import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { inner } from "../numeric/conjugate-gradients";
import { bellBand, bestBell, insideBell, insideBellReversed } from "./bell-gain";

const RATE = 16_000;

function noise(length: number, seed: number): Float64Array {
  const random = seededRandom(seed);
  return Float64Array.from({ length }, () => random() - 0.5);
}

const anyBell = fc.record({
  hertz: fc.double({ min: 40, max: 7000, noNaN: true }),
  q: fc.double({ min: 0.3, max: 10, noNaN: true }),
});

describe("a bell that moves", () => {
  it("moves what a band-pass lets through, at 0 dB in its centre", () => {
    fc.assert(
      fc.property(anyBell, ({ hertz, q }) => {
        // Bristow-Johnson's cookbook, band-pass of constant 0 dB peak gain: from memory.
        const w = (2 * Math.PI * hertz) / RATE;
        const alpha = Math.sin(w) / (2 * q);
        const expected = { b0: alpha, b1: 0, b2: -alpha, a1: -2 * Math.cos(w), a2: 1 - alpha };
        const { b0, b1, b2, a1, a2 } = bellBand({ hertz, q }, RATE);
        for (const [own, other] of [
          [b0, expected.b0],
          [b1, expected.b1],
          [b2, expected.b2],
          [a1, expected.a1],
          [a2, expected.a2],
        ])
          expect(own).toBeCloseTo(other / (1 + alpha), 10);
      }),
      { numRuns: 50 },
    );
  });

  it("has the transpose of what it moves", () => {
    fc.assert(
      fc.property(anyBell, fc.integer({ min: 10, max: 400 }), (bell, length) => {
        const [a, b] = [noise(length, length), noise(length, length + 1)];
        expect(inner([insideBell(a, bell, RATE)], [b])).toBeCloseTo(inner([a], [insideBellReversed(b, bell, RATE)]), 9);
      }),
      { numRuns: 30 },
    );
  });

  it("is found where it is, as wide as it is, beside a level that is not one", () => {
    const length = 3 * RATE;
    const under = noise(length, 4);
    const inside = insideBell(under, { hertz: 1300, q: 2 }, RATE);
    // Its gain goes from 0 to −8 dB and back twice a second.
    const target = under.map((v, n) => {
      const gain = 10 ** ((-4 + 4 * Math.cos((2 * Math.PI * 2 * n) / RATE)) / 20);
      return 0.9 * (v + (gain - 1) * inside[n]);
    });
    const weight = new Float64Array(length).fill(1);
    const { bell, level, heldOut } = bestBell(under, target, weight, RATE);
    expect(Math.abs(bell.hertz / 1300 - 1)).toBeLessThan(0.02);
    expect(Math.abs(bell.q / 2 - 1)).toBeLessThan(0.1);
    expect(level).toBeCloseTo(0.9, 2);
    expect(heldOut).toBeLessThan(1e-3 * inner([target], [target]));
  });
});
