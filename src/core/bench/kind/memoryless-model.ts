import { dbFromPower } from "../../audio/decibels";
import { factorScaled, solveScaled } from "../../numeric/cholesky";

/** A stretch of the signal, before and after: what a model makes of `input` is held against `output`. */
export type Excerpt = { input: Float32Array; output: Float32Array };

/** Straight pieces that a curve is made of. */
const PIECES = 48;

/** A curve without memory: output over input, straight between knots. */
export type MemorylessCurve = { most: number; values: Float64Array };

/** The curve that comes closest, by least squares over all samples of some excerpts. */
export function memorylessCurve(excerpts: readonly Excerpt[]): MemorylessCurve {
  const most = excerpts.reduce((top, { input }) => input.reduce((t, v) => Math.max(t, Math.abs(v)), top), 1e-9);
  const size = PIECES + 1;
  const matrix = new Float64Array(size * size);
  const rhs = new Float64Array(size);
  for (const { input, output } of excerpts)
    for (let i = 0; i < input.length; i++) {
      const place = ((input[i] / most + 1) / 2) * PIECES;
      const k = Math.min(PIECES - 1, Math.floor(place));
      const [a, b] = [1 - (place - k), place - k];
      matrix[k * size + k] += a * a;
      matrix[(k + 1) * size + k + 1] += b * b;
      matrix[k * size + k + 1] += a * b;
      matrix[(k + 1) * size + k] += a * b;
      rhs[k] += a * output[i];
      rhs[k + 1] += b * output[i];
    }
  return { most, values: solveScaled(factorScaled(matrix, size, RIDGE), rhs) };
}
/** Knots that no sample comes near stay where they are. */
const RIDGE = 1e-9;

/** What a curve makes of a signal; beyond the highest it was fitted on it goes on straight. */
export function throughCurve({ most, values }: MemorylessCurve, input: Float32Array): Float32Array {
  return input.map((v) => {
    const place = Math.max(0, Math.min(PIECES, ((v / most + 1) / 2) * PIECES));
    const k = Math.min(PIECES - 1, Math.floor(place));
    return values[k] + (place - k) * (values[k + 1] - values[k]);
  });
}

/** Energy of what a model leaves of excerpts over theirs, dB; each excerpt weighs alike, noise of a power taken off. */
export function residualDb(pairs: readonly { told: Float32Array; output: Float32Array }[], noisePower: number): number {
  let sum = 0;
  for (const { told, output } of pairs) {
    let [left, all] = [0, 0];
    for (let i = 0; i < output.length; i++) {
      left += (output[i] - told[i]) ** 2;
      all += output[i] * output[i];
    }
    const noise = noisePower * output.length;
    sum += Math.max(LEAST_SHARE, left - noise) / Math.max(1e-30, all - noise);
  }
  return dbFromPower(Math.max(1e-20, sum / Math.max(1, pairs.length)));
}
const LEAST_SHARE = 1e-30;
