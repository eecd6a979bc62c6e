import type { Biquad } from "../audio/biquad";

// A cut made of the same section over and over: as many unknowns as one section has. Free, they are so nearly alike that steps hardly get on.

/** For each section of a (normalised) row the first one that is the same but for its gain. */
export function tiesOf(row: readonly Biquad[]): number[] {
  return row.map((section, i) => {
    const equal = row.findIndex((other) => isSame(other, section));
    return equal < 0 ? i : equal;
  });
}

/** Coefficients that agree to this are the same: far over rounding, far under what steps move them by. */
const SAME = 1e-9;

const isSame = (a: Biquad, b: Biquad): boolean =>
  Math.abs(a.b1 / a.b0 - b.b1 / b.b0) < SAME &&
  Math.abs(a.b2 / a.b0 - b.b2 / b.b0) < SAME &&
  Math.abs(a.a1 - b.a1) < SAME &&
  Math.abs(a.a2 - b.a2) < SAME;

/** How the unknowns of a row follow from fewer: `matrix` has a row of `size` numbers for each. */
export type Expansion = { matrix: Float64Array; size: number };

/**
 * Unknowns of a row (b0, b1, b2, a1, a2 of its first section, the last four of each other) from those of it with sections tied: the gain of all, and four for each
 * section that no earlier one stands for.
 */
export function expansionOf(row: readonly Biquad[], ties: readonly number[]): Expansion {
  const own = ties.flatMap((of, i) => (of === i ? [i] : []));
  const size = 1 + 4 * own.length;
  const matrix = new Float64Array((1 + 4 * row.length) * size);
  const [first] = row;
  // The gain scales the numerator of the first.
  for (const [k, v] of [first.b0, first.b1, first.b2].entries()) matrix[k * size] = v / first.b0;
  for (const [i, of] of ties.entries()) {
    const column = 1 + 4 * own.indexOf(of);
    for (let k = 0; k < 4; k++) matrix[(1 + 4 * i + k) * size + column + k] = i === 0 && k < 2 ? first.b0 : 1;
  }
  return { matrix, size };
}

/** Normal equations in the fewer unknowns. */
export function tiedEquations(
  { matrix: expand, size }: Expansion,
  matrix: Float64Array,
  gradient: Float64Array,
): { matrix: Float64Array; gradient: Float64Array } {
  const full = gradient.length;
  const half = new Float64Array(full * size);
  for (let i = 0; i < full; i++)
    for (let j = 0; j < full; j++)
      for (let b = 0; b < size; b++) half[i * size + b] += matrix[i * full + j] * expand[j * size + b];
  const [tied, own] = [new Float64Array(size * size), new Float64Array(size)];
  for (let i = 0; i < full; i++)
    for (let a = 0; a < size; a++) {
      own[a] += expand[i * size + a] * gradient[i];
      for (let b = 0; b < size; b++) tied[a * size + b] += expand[i * size + a] * half[i * size + b];
    }
  return { matrix: tied, gradient: own };
}

/** A step of all unknowns from one of the fewer. */
export function expandedStep({ matrix, size }: Expansion, step: Float64Array): Float64Array {
  return Float64Array.from({ length: matrix.length / size }, (_, i) =>
    step.reduce((sum, v, a) => sum + matrix[i * size + a] * v, 0),
  );
}

/** A moved row whose tied sections are the same again. */
export const retied = (row: readonly Biquad[], ties: readonly number[]): Biquad[] =>
  row.map((section, i) => {
    if (ties[i] === i) return section;
    const { b0, b1, b2, a1, a2 } = row[ties[i]];
    return { b0: 1, b1: b1 / b0, b2: b2 / b0, a1, a2 };
  });
