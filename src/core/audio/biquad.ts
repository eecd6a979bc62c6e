import { cos, log10, sin } from "./exact-math";
/** A second-order section, a0 normalised to 1: y = b0·x + b1·x₁ + b2·x₂ − a1·y₁ − a2·y₂. */
export type Biquad = { b0: number; b1: number; b2: number; a1: number; a2: number };

/** Filters `input` into a new array, state in 64 bits, starting from rest. */
export function filterBiquad(input: Float32Array, filter: Biquad): Float32Array {
  const output = new Float32Array(input.length);
  const { b0, b1, b2, a1, a2 } = filter;
  // Transposed direct form II keeps round-off low with the poles near z = 1 that low shelves need.
  let s1 = 0;
  let s2 = 0;
  for (let i = 0; i < input.length; i++) {
    const x = input[i];
    const y = b0 * x + s1;
    s1 = b1 * x - a1 * y + s2;
    s2 = b2 * x - a2 * y;
    output[i] = y;
  }
  return output;
}

/** Magnitude in dB of a biquad at `frequencyHz`, at `sampleRateHz`. */
export function biquadMagnitudeDb(filter: Biquad, frequencyHz: number, sampleRateHz: number): number {
  const w = (2 * Math.PI * frequencyHz) / sampleRateHz;
  const power = (c0: number, c1: number, c2: number) => {
    const re = c0 + c1 * cos(w) + c2 * cos(2 * w);
    const im = c1 * sin(w) + c2 * sin(2 * w);
    return re * re + im * im;
  };
  return 10 * log10(power(filter.b0, filter.b1, filter.b2) / power(1, filter.a1, filter.a2));
}

/** One filter after the other. */
export function filterCascade(input: Float32Array, filters: readonly Biquad[]): Float32Array {
  return filters.reduce((signal, filter) => filterBiquad(signal, filter), input);
}
