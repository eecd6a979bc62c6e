import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { factorBanded, solveFactored } from "./banded-cholesky";
import { factorDense, factorScaled, solveDense, solveScaled } from "./cholesky";
import { descend, weightedRuns } from "./conjugate-gradients";

/** A matrix times a list, row by row. */
const product = (matrix: Float64Array, x: Float64Array): Float64Array =>
  x.map((_, i) => x.reduce((sum, v, j) => sum + matrix[i * x.length + j] * v, 0));

/** A symmetric positive matrix: B · Bᵀ and a little on the diagonal. */
function positive(size: number, seed: number): Float64Array {
  const random = seededRandom(seed);
  const b = Float64Array.from({ length: size * size }, () => random() - 0.5);
  return Float64Array.from({ length: size * size }, (_, k) => {
    const [i, j] = [Math.floor(k / size), k % size];
    let sum = i === j ? 0.1 : 0;
    for (let m = 0; m < size; m++) sum += b[i * size + m] * b[j * size + m];
    return sum;
  });
}

const sizes = fc.tuple(fc.integer({ min: 1, max: 12 }), fc.nat(1e6));

describe("Cholesky's decomposition", () => {
  it("of the matrix that textbooks show it on", () => {
    // [4 12 −16; 12 37 −43; −16 −43 98] = L · Lᵀ with L = [2; 6 1; −8 5 3] (a common textbook example).
    const factor = factorDense(Float64Array.of(4, 12, -16, 12, 37, -43, -16, -43, 98), 3);
    expect([0, 3, 4, 6, 7, 8].map((k) => factor[k])).toEqual([2, 6, 1, -8, 5, 3]);
  });

  it("solves what it was made of, also where unknowns are of very different size", () => {
    fc.assert(
      fc.property(sizes, ([size, seed]) => {
        const matrix = positive(size, seed);
        const random = seededRandom(seed + 1);
        const wanted = Float64Array.from({ length: size }, () => random() - 0.5);
        const found = solveDense(factorDense(matrix.slice(), size), product(matrix, wanted));
        for (const [i, v] of found.entries()) expect(v).toBeCloseTo(wanted[i], 7);
        const large = Float64Array.from({ length: size }, () => 10 ** (6 * random() - 3));
        const uneven = matrix.map((v, k) => v * large[Math.floor(k / size)] * large[k % size]);
        const again = solveScaled(factorScaled(uneven, size), product(uneven, wanted));
        for (const [i, v] of again.entries()) expect((v - wanted[i]) * large[i]).toBeCloseTo(0, 5);
      }),
    );
  });

  it("of a band of four diagonals is that of the whole matrix", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 30 }), fc.nat(1e6), (size, seed) => {
        const random = seededRandom(seed);
        const diagonals = [0, 1, 2, 3].map((b) =>
          Float64Array.from({ length: size }, (_, i) => (b === 0 ? 4 + random() : i < b ? 0 : random() - 0.5)),
        );
        const dense = new Float64Array(size * size);
        for (const [b, own] of diagonals.entries())
          for (let i = b; i < size; i++) dense[i * size + i - b] = dense[(i - b) * size + i] = own[i];
        const right = Float64Array.from({ length: size }, () => random() - 0.5);
        const banded = solveFactored(factorBanded(diagonals), right);
        const whole = solveDense(factorDense(dense, size), right);
        for (const [i, v] of banded.entries()) expect(v).toBeCloseTo(whole[i], 10);
      }),
    );
  });
});

describe("conjugate gradients", () => {
  it("meet a small problem in as many steps as it has unknowns (Hestenes and Stiefel 1952)", () => {
    const [frames, unknowns] = [60, 4];
    const random = seededRandom(9);
    const columns = Array.from({ length: unknowns }, () => Float64Array.from({ length: frames }, () => random() - 0.5));
    const wanted = Float64Array.of(1, -2, 0.5, 3);
    const made = (p: Float64Array) =>
      Float64Array.from({ length: frames }, (_, n) => columns.reduce((sum, column, k) => sum + column[n] * p[k], 0));
    // What is not judged is something else altogether.
    const weight = Float64Array.from({ length: frames }, (_, n) => (n >= 20 && n < 30 ? 0 : 1));
    const left = made(wanted).map((v, n) => (weight[n] === 0 ? 100 : v));
    const parameters = [new Float64Array(unknowns)];
    const answer = descend(
      {
        apply: ([step], [output]) => output.set(made(step)),
        adjoint: ([signal]) => [
          Float64Array.from(columns, (column) => column.reduce((sum, v, n) => sum + v * signal[n], 0)),
        ],
        precondition: (gradient) => gradient.map((g) => g.slice()),
        floors: [0],
      },
      parameters,
      [left],
      [weight],
      1e-20,
      unknowns,
    );
    for (const [k, v] of parameters[0].entries()) expect(v).toBeCloseTo(wanted[k], 9);
    expect(answer.left).toBeLessThan(1e-15);
  });

  it("go over the frames that have a weight, run by run", () => {
    const runs = (...weight: number[]) => [...weightedRuns(Float64Array.from(weight))];
    expect(runs(0, 1, 2, 0, 0, 3)).toEqual([
      { from: 1, count: 2 },
      { from: 5, count: 1 },
    ]);
    expect(runs()).toEqual([]);
    expect(runs(0, 0)).toEqual([]);
  });
});
