/** A symmetric matrix of three diagonals beside the main one, by Cholesky's decomposition, in place: row i of diagonal b is L[i][i − b]. */
export function factorBanded(diagonals: Float64Array[]): Float64Array[] {
  const [d0, d1, d2, d3] = diagonals;
  for (let i = 0; i < d0.length; i++) {
    const c = i > 2 ? d3[i] / d0[i - 3] : 0;
    const b = i > 1 ? (d2[i] - (i > 2 ? c * d1[i - 2] : 0)) / d0[i - 2] : 0;
    const a = i > 0 ? (d1[i] - (i > 1 ? b * d1[i - 1] : 0) - (i > 2 ? c * d2[i - 1] : 0)) / d0[i - 1] : 0;
    d0[i] = Math.sqrt(Math.max(d0[i] - a * a - b * b - c * c, 1e-300));
    d1[i] = a;
    d2[i] = b;
    d3[i] = c;
  }
  return diagonals;
}

export function solveFactored([d0, d1, d2, d3]: Float64Array[], right: Float64Array): Float64Array {
  const n = right.length;
  const x = right.slice();
  for (let i = 0; i < n; i++) {
    let sum = x[i];
    if (i > 0) sum -= d1[i] * x[i - 1];
    if (i > 1) sum -= d2[i] * x[i - 2];
    if (i > 2) sum -= d3[i] * x[i - 3];
    x[i] = sum / d0[i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = x[i];
    if (i + 1 < n) sum -= d1[i + 1] * x[i + 1];
    if (i + 2 < n) sum -= d2[i + 2] * x[i + 2];
    if (i + 3 < n) sum -= d3[i + 3] * x[i + 3];
    x[i] = sum / d0[i];
  }
  return x;
}
