import { cos } from "./exact-math";
/** Periodic Hann window, `size` points: the form whose 50 % overlaps add up to one. */
export function hannWindow(size: number): Float64Array {
  const window = new Float64Array(size);
  for (let i = 0; i < size; i++) window[i] = 0.5 - 0.5 * cos((2 * Math.PI * i) / size);
  return window;
}

/** Modified Bessel function of the first kind, order 0, by its power series (Abramowitz and Stegun 9.6.10). */
export function besselI0(x: number): number {
  const quarter = (x * x) / 4;
  let term = 1;
  let sum = 1;
  for (let k = 1; term > 1e-17 * sum; k++) {
    term *= quarter / (k * k);
    sum += term;
  }
  return sum;
}

/**
 * Kaiser's shape parameter for a stop band `attenuationDb` down (above 50 dB).
 * Kaiser 1974, as in Oppenheim and Schafer, Discrete-Time Signal Processing, eq. 7.75 (equation number from memory).
 */
export const kaiserBeta = (attenuationDb: number): number => 0.1102 * (attenuationDb - 8.7);

/** Kaiser window value at `position` in −1 … 1, 0 outside. */
export function kaiserAt(position: number, beta: number): number {
  const inside = 1 - position * position;
  return inside < 0 ? 0 : besselI0(beta * Math.sqrt(inside)) / besselI0(beta);
}
