import { forwardReal, inverseReal, multiplySpectra, powerOfTwoAtLeast } from "./fft";

/** Where a response lies this far under its highest (−60 dB), it is not divided by: there is nothing left to bring back. */
const LEAST_POWER = 1e-6;

/** What undoes a response, tap `lead` of which counts as time zero, as a spectrum of `size` points. */
function inverseSpectrum(response: Float64Array, lead: number, size: number): Float64Array {
  const turned = new Float64Array(size);
  for (const [k, tap] of response.entries()) turned[(k - lead + size) % size] += tap;
  const spectrum = forwardReal(turned, size);
  let most = 0;
  for (let i = 0; i < spectrum.length; i += 2) {
    const power = spectrum[i] ** 2 + spectrum[i + 1] ** 2;
    if (power > most) most = power;
  }
  const floor = LEAST_POWER * most + Number.MIN_VALUE;
  for (let i = 0; i < spectrum.length; i += 2) {
    const divisor = spectrum[i] ** 2 + spectrum[i + 1] ** 2 + floor;
    spectrum[i] /= divisor;
    spectrum[i + 1] /= -divisor;
  }
  return spectrum;
}

/** A signal with a response undone that it came through; both of any length. What the response holds nothing of stays away. */
export function deconvolved(signal: Float64Array, response: Float64Array, lead: number): Float64Array {
  const size = powerOfTwoAtLeast(signal.length + response.length);
  const spectrum = forwardReal(signal, size);
  multiplySpectra(spectrum, inverseSpectrum(response, lead, size));
  return inverseReal(spectrum).slice(0, signal.length);
}

/** The response, `taps` long with tap `lead` at time zero, that undoes another. */
export function inverseResponse(
  response: Float64Array,
  lead: number,
  { taps, lead: ownLead }: { taps: number; lead: number },
): Float64Array {
  const size = powerOfTwoAtLeast(4 * Math.max(taps, response.length));
  const around = inverseReal(inverseSpectrum(response, lead, size));
  return Float64Array.from({ length: taps }, (_, k) => around[(k - ownLead + size) % size]);
}
