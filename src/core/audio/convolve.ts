import { forwardReal, inverseReal, multiplySpectra, powerOfTwoAtLeast } from "./fft";

/**
 * `signal` through a finite impulse response of odd length, its middle tap counting as time zero, so a symmetric response
 * adds no delay. Overlap-add through the FFT; as many samples come back as were given.
 */
export function convolveCentred(signal: Float32Array, response: Float64Array): Float32Array {
  const centre = (response.length - 1) / 2;
  const size = powerOfTwoAtLeast(Math.max(4 * response.length, 8192));
  const block = size - response.length + 1;
  const spectrum = forwardReal(response, size);
  const output = new Float64Array(signal.length + response.length);
  for (let start = 0; start < signal.length; start += block) {
    const part = forwardReal(signal.subarray(start, Math.min(signal.length, start + block)), size);
    multiplySpectra(part, spectrum);
    const piece = inverseReal(part);
    const end = Math.min(size, output.length - start);
    for (let i = 0; i < end; i++) output[start + i] += piece[i];
  }
  return Float32Array.from(output.subarray(centre, centre + signal.length));
}
