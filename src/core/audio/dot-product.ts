/** Σ signal[start + k] · taps[row + k] over `count` (a multiple of 4): four sums side by side, so none waits for the last. */
export function dotProduct(
  signal: Float32Array,
  start: number,
  taps: Float64Array,
  row: number,
  count: number,
): number {
  let a = 0;
  let b = 0;
  let c = 0;
  let d = 0;
  for (let k = 0; k < count; k += 4) {
    a += signal[start + k] * taps[row + k];
    b += signal[start + k + 1] * taps[row + k + 1];
    c += signal[start + k + 2] * taps[row + k + 2];
    d += signal[start + k + 3] * taps[row + k + 3];
  }
  return a + b + (c + d);
}
