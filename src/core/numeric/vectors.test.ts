import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  addDelayed,
  addProduct,
  addTimes,
  delayedProducts,
  energyBetween,
  energyUnder,
  minus,
  over,
  scaled,
  takenFrom,
  times,
  timesInto,
  weightedProduct,
} from "./vectors";

// Each against its definition written out, at lengths that four does and does not go into.

const value = fc.double({ min: -1e3, max: 1e3, noNaN: true });
const three = fc
  .nat(23)
  .chain((length) => fc.tuple(...[0, 1, 2].map(() => fc.array(value, { minLength: length, maxLength: length }))))
  .map((lists) => lists.map((list) => Float64Array.from(list)) as [Float64Array, Float64Array, Float64Array]);

/** The same to within what the order of additions leaves open. */
const near = (a: number, b: number, scale: number) => Math.abs(a - b) <= 1e-12 * Math.max(1, scale);

describe("sums over signals", () => {
  it("of a weight and one or two signals, over all of them or part", () => {
    fc.assert(
      fc.property(three, fc.nat(23), fc.nat(23), ([w, a, b], i, j) => {
        const [from, end] = [Math.min(i, j, a.length), Math.min(Math.max(i, j), a.length)];
        const sum = (term: (n: number) => number) => {
          let [total, size] = [0, 0];
          for (let n = from; n < end; n++) {
            total += term(n);
            size += Math.abs(term(n));
          }
          return [total, size];
        };
        const [product, productSize] = sum((n) => w[n] * a[n] * b[n]);
        expect(near(weightedProduct(w, a, b, from, end), product, productSize)).toBe(true);
        const [energy, energySize] = sum((n) => w[n] * a[n] ** 2);
        expect(near(energyUnder(w, a, from, end), energy, energySize)).toBe(true);
        const [between, betweenSize] = sum((n) => w[n] * (a[n] - b[n]) ** 2);
        expect(near(energyBetween(w, a, b, from, end), between, betweenSize)).toBe(true);
      }),
    );
  });

  it("of a signal and another one that comes up to two frames late, after silence", () => {
    fc.assert(
      fc.property(three, ([a, b]) => {
        for (const [late, found] of delayedProducts(a, b).entries()) {
          let [sum, size] = [0, 0];
          for (let n = late; n < a.length; n++) {
            sum += a[n] * b[n - late];
            size += Math.abs(a[n] * b[n - late]);
          }
          expect(near(found, sum, size)).toBe(true);
        }
      }),
    );
  });
});

describe("signals, frame by frame", () => {
  it("are multiplied, scaled, added up and taken off each other", () => {
    fc.assert(
      fc.property(three, value, ([a, b, c], gain) => {
        const each = (work: (n: number) => number) => Float64Array.from(a, (_, n) => work(n));
        expect(times(a, b)).toEqual(each((n) => a[n] * b[n]));
        expect(scaled(a, gain)).toEqual(each((n) => gain * a[n]));
        expect(minus(a, b)).toEqual(each((n) => a[n] - b[n]));
        const divisor = b.map((v) => Math.abs(v) + 1);
        expect(over(a, divisor)).toEqual(each((n) => a[n] / divisor[n]));
        const into = (work: (to: Float64Array) => void) => {
          const to = c.slice();
          work(to);
          return to;
        };
        expect(into((to) => timesInto(to, a, b))).toEqual(each((n) => a[n] * b[n]));
        expect(into((to) => addTimes(to, gain, a))).toEqual(each((n) => c[n] + gain * a[n]));
        expect(into((to) => addProduct(to, a, b))).toEqual(each((n) => c[n] + a[n] * b[n]));
        expect(into((to) => takenFrom(a, gain, to))).toEqual(each((n) => a[n] - gain * c[n]));
      }),
    );
  });

  it("are added so many frames late", () => {
    fc.assert(
      fc.property(three, value, value, value, ([a, b], f0, f1, f2) => {
        const to = b.slice();
        addDelayed(to, a, f0, f1, f2);
        for (const [n, found] of to.entries()) {
          const terms = [b[n], f0 * a[n], f1 * (a[n - 1] ?? 0), f2 * (a[n - 2] ?? 0)];
          const sum = terms.reduce((total, v) => total + v, 0);
          expect(near(found, sum, Math.max(...terms.map(Math.abs)))).toBe(true);
        }
      }),
    );
  });
});
