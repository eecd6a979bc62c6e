import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { bilinear } from "./analogue";
import { type Biquad, biquadMagnitudeDb, filterInPlace, filterRow, throughBiquads } from "./biquad";
import { seededRandom } from "./random";
import { clipOf, soundOf } from "./sound";

/** A stable biquad: its poles inside the unit circle, wherever. */
const section = fc
  .record({
    b0: fc.double({ min: -2, max: 2, noNaN: true }),
    b1: fc.double({ min: -2, max: 2, noNaN: true }),
    b2: fc.double({ min: -2, max: 2, noNaN: true }),
    radius: fc.double({ min: 0, max: 0.99, noNaN: true }),
    angle: fc.double({ min: 0, max: Math.PI, noNaN: true }),
  })
  .map(({ radius, angle, ...zeros }): Biquad => ({ ...zeros, a1: -2 * radius * Math.cos(angle), a2: radius * radius }));

const noise = (frames: number, seed: number) => {
  const random = seededRandom(seed);
  return Float64Array.from({ length: frames }, () => random() - 0.5);
};

describe("a biquad", () => {
  it("is its difference equation", () => {
    fc.assert(
      fc.property(section, ({ b0, b1, b2, a1, a2 }) => {
        const x = noise(50, 3);
        const found = x.slice();
        filterInPlace(found, { b0, b1, b2, a1, a2 });
        const y: number[] = [];
        const at = (list: ArrayLike<number>, n: number) => (n < 0 ? 0 : list[n]);
        for (let n = 0; n < x.length; n++)
          y.push(b0 * x[n] + b1 * at(x, n - 1) + b2 * at(x, n - 2) - a1 * at(y, n - 1) - a2 * at(y, n - 2));
        const most = Math.max(1, ...y.map(Math.abs));
        for (const [n, v] of found.entries()) expect(Math.abs(v - y[n])).toBeLessThan(1e-10 * most);
      }),
    );
  });

  it("in a row is one after the other, to the last bit, however many", () => {
    fc.assert(
      fc.property(fc.array(section, { maxLength: 7 }), (row) => {
        const together = noise(64, 5);
        const apart = together.slice();
        filterRow(together, row);
        for (const one of row) filterInPlace(apart, one);
        expect(together).toEqual(apart);
      }),
    );
  });

  it("goes on from what it remembers: in pieces as in one", () => {
    const filter = bilinear({ cornerHz: 1000, numerator: [1, 0, 0], denominator: [1, Math.SQRT2, 1] }, 48_000);
    const whole = noise(1000, 7);
    const parts = whole.slice();
    filterInPlace(whole, filter);
    const memory = new Float64Array(2);
    filterInPlace(parts.subarray(0, 333), filter, memory);
    filterInPlace(parts.subarray(333), filter, memory);
    expect(parts).toEqual(whole);
  });

  it("of Butterworth's second order is 3 dB down at its corner, and passes what lies far under it (its definition)", () => {
    for (const cornerHz of [80, 1000, 9000]) {
      const filter = bilinear({ cornerHz, numerator: [1, 0, 0], denominator: [1, Math.SQRT2, 1] }, 48_000);
      expect(biquadMagnitudeDb(filter, cornerHz, 48_000)).toBeCloseTo(10 * Math.log10(0.5), 6);
      expect(biquadMagnitudeDb(filter, cornerHz / 50, 48_000)).toBeCloseTo(0, 3);
    }
  });

  it("takes its magnitude off a sine that has settled", () => {
    const filter = bilinear({ cornerHz: 500, numerator: [1, 0, 0], denominator: [1, 0.7, 1] }, 48_000);
    for (const hertz of [100, 480, 4000]) {
      const signal = Float32Array.from(
        { length: 48_000 },
        (_, n) => 0.5 * Math.sin((2 * Math.PI * hertz * n) / 48_000),
      );
      const { channels } = clipOf(throughBiquads(soundOf({ sampleRateHz: 48_000, channels: [signal] }), [filter]));
      const settled = channels[0].subarray(24_000);
      const rms = Math.sqrt(settled.reduce((sum, v) => sum + v * v, 0) / settled.length);
      const gainDb = 20 * Math.log10(rms / (0.5 * Math.SQRT1_2));
      expect(gainDb).toBeCloseTo(biquadMagnitudeDb(filter, hertz, 48_000), 3);
    }
  });
});
