import FFT from "fft.js";

const plans = new Map<number, FFT>();

function planOf(size: number): FFT {
  let plan = plans.get(size);
  if (!plan) {
    plan = new FFT(size);
    plans.set(size, plan);
  }
  return plan;
}

/** The smallest power of two that is at least `n` (and at least 2). */
export function powerOfTwoAtLeast(n: number): number {
  let size = 2;
  while (size < n) size *= 2;
  return size;
}

/**
 * DFT of a real signal, zero-padded to `size` (a power of two).
 * Returns `size` complex bins interleaved (re, im); all bins are filled, not only the lower half.
 */
export function forwardReal(signal: ArrayLike<number>, size: number): Float64Array {
  const input = new Float64Array(size);
  const length = Math.min(signal.length, size);
  for (let i = 0; i < length; i++) input[i] = signal[i];
  const output = new Float64Array(2 * size);
  const plan = planOf(size);
  plan.realTransform(output, input);
  plan.completeSpectrum(output);
  return output;
}

/** Inverse DFT of a conjugate-symmetric spectrum (interleaved, `2·size` numbers): the real signal, `size` numbers. */
export function inverseReal(spectrum: Float64Array): Float64Array {
  const size = spectrum.length / 2;
  const output = new Float64Array(spectrum.length);
  planOf(size).inverseTransform(output, spectrum);
  const signal = new Float64Array(size);
  for (let i = 0; i < size; i++) signal[i] = output[2 * i];
  return signal;
}
