import { kernels } from "../kernels/kernels";

/**
 * Elementary functions that give the same bits everywhere. Hosts differ in the last bit of Math.sin and its like (this Node and this
 * Chromium do in all of these), and a result that is to be the same in a worker, in Node and in a test may not hang on that. A test sees
 * to it that core uses no others. Arithmetic, square roots, rounding and squares are exact or correctly rounded on any host.
 */
export const { sin, cos, tan, atan2, exp, log, log2, log10, pow, tanh, cosh } = kernels;

/** Root of the sum of two squares: square roots are exact on every host, `Math.hypot` is not. */
export const hypot = (a: number, b: number): number => Math.sqrt(a * a + b * b);
