import { forwardReal, inverseReal, powerOfTwoAtLeast } from "./fft";

/** A spectrum (interleaved bins) whose every frequency is turned by −90°: the Hilbert transform; DC and Nyquist have none. */
export function turnedSpectrum(spectrum: Float64Array): Float64Array {
  const output = new Float64Array(spectrum.length);
  for (let k = 2; k < spectrum.length - 2; k += 2) {
    output[k] = spectrum[k + 1];
    output[k + 1] = -spectrum[k];
  }
  return output;
}

/** A signal turned by −90°, as long as it is; what lies before and after it is taken for silence. */
export const inQuadrature = (signal: Float32Array): Float64Array =>
  inverseReal(turnedSpectrum(forwardReal(signal, powerOfTwoAtLeast(2 * signal.length)))).subarray(0, signal.length);
