/** A symmetric positive matrix (row by row, `size` × `size`) by Cholesky's decomposition, in place: its lower triangle. */
export function factorDense(matrix: Float64Array, size: number): Float64Array {
  for (let i = 0; i < size; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = matrix[i * size + j];
      for (let k = 0; k < j; k++) sum -= matrix[i * size + k] * matrix[j * size + k];
      matrix[i * size + j] = i === j ? Math.sqrt(Math.max(sum, 1e-300)) : sum / matrix[j * size + j];
    }
  }
  return matrix;
}

/** The solution of a factored system. */
export function solveDense(factor: Float64Array, rhs: Float64Array): Float64Array {
  const size = rhs.length;
  const x = rhs.slice();
  for (let i = 0; i < size; i++) {
    for (let k = 0; k < i; k++) x[i] -= factor[i * size + k] * x[k];
    x[i] /= factor[i * size + i];
  }
  for (let i = size - 1; i >= 0; i--) {
    for (let k = i + 1; k < size; k++) x[i] -= factor[k * size + i] * x[k];
    x[i] /= factor[i * size + i];
  }
  return x;
}

/** A share of the diagonal that keeps a matrix apart whose columns are nearly alike. */
const RIDGE = 1e-12;

export type Scaled = { factor: Float64Array; scale: Float64Array };

/** The same of a matrix whose unknowns are of very different size: each is scaled to one first. */
export function factorScaled(matrix: Float64Array, size: number, ridge = RIDGE): Scaled {
  const scale = Float64Array.from({ length: size }, (_, i) => 1 / Math.sqrt(Math.max(matrix[i * size + i], 1e-300)));
  const scaled = matrix.slice();
  for (let i = 0; i < size; i++)
    for (let j = 0; j < size; j++)
      scaled[i * size + j] = matrix[i * size + j] * scale[i] * scale[j] + (i === j ? ridge : 0);
  return { factor: factorDense(scaled, size), scale };
}

export const solveScaled = ({ factor, scale }: Scaled, rhs: Float64Array): Float64Array =>
  solveDense(
    factor,
    rhs.map((v, i) => v * scale[i]),
  ).map((v, i) => v * scale[i]);
