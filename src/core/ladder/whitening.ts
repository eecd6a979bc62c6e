import { forwardReal, inverseReal, multiplySpectra, powerOfTwoAtLeast } from "../audio/fft";
import { doubles, kernels, memoryFor } from "../kernels/kernels";

/** An input's autocorrelation matrix, turned round: what a filter of `taps` is preconditioned with. */
export type Whitening = {
  taps: number;
  /** Prediction-error filter of an autoregressive model, its first tap 1; the power of the error; what was added for a floor. */
  prediction: Float64Array;
  power: number;
  floor: number;
  size: number;
  spectrum: Float64Array;
  /** Of the prediction turned round, without its first tap. */
  reversedSpectrum: Float64Array;
};

/** Order of the model: enough for the partials of music; more gains no steps that it does not cost (by trial). */
const MOST_ORDER = 4096;

/** From spectra of blocks of a signal: powers summed, turned into an autocorrelation with a white floor, and modelled by Levinson's recursion (1947). */
export function whiteningOf(
  spectra: readonly Float64Array[],
  blockSize: number,
  taps: number,
  floorShare: number,
  /** How much a frame counts on average. */
  weight: number,
): Whitening {
  const power = new Float64Array(blockSize + 2);
  for (const spectrum of spectra)
    for (let k = 0; k < power.length; k += 2) power[k] += spectrum[k] ** 2 + spectrum[k + 1] ** 2;
  const correlation = inverseReal(power);
  for (let k = 0; k < correlation.length; k++) correlation[k] *= weight;
  const floor = correlation[0] * floorShare;
  correlation[0] += floor;
  const order = Math.min(taps - 1, MOST_ORDER);
  const { prediction, error } = levinson(correlation, order);
  const size = powerOfTwoAtLeast(taps + order);
  const backwards = prediction.slice(1).reverse();
  return {
    taps,
    prediction,
    power: error,
    floor,
    size,
    spectrum: forwardReal(prediction, size),
    reversedSpectrum: forwardReal(backwards, size),
  };
}

/** What makes all frequencies of a signal count alike: its prediction-error filter of an order, over a white floor. */
export function predictionOf(signal: Float64Array, order: number, floorShare: number): Float64Array {
  const size = powerOfTwoAtLeast(signal.length + order);
  const spectrum = forwardReal(signal, size);
  for (let k = 0; k < spectrum.length; k += 2) {
    spectrum[k] = spectrum[k] ** 2 + spectrum[k + 1] ** 2;
    spectrum[k + 1] = 0;
  }
  const correlation = inverseReal(spectrum);
  correlation[0] *= 1 + floorShare;
  return levinson(correlation, order).prediction;
}

/** Of a single tap: the input's power. */
export function flatWhitening(power: number): Whitening {
  const nothing = new Float64Array(0);
  return {
    taps: 1,
    prediction: Float64Array.of(1),
    power,
    floor: 0,
    size: 0,
    spectrum: nothing,
    reversedSpectrum: nothing,
  };
}

/** Prediction-error filter of a given order for an autocorrelation; first tap 1. */
function levinson(correlation: Float64Array, order: number): { prediction: Float64Array; error: number } {
  const [reversedAt, predictionAt] = memoryFor(8 * (order + 1), 8 * (order + 1));
  doubles(reversedAt, order + 1).set(correlation.slice(0, order + 1).reverse());
  const prediction = doubles(predictionAt, order + 1);
  prediction.fill(0);
  prediction[0] = 1;
  const error = kernels.levinson(reversedAt, order, predictionAt);
  return { prediction: prediction.slice(), error };
}

/** The inverse of the autocorrelation matrix times a vector, after Gohberg and Semencul (1972): (A Aᵀ − B Bᵀ) v / power. */
export function whitened(
  vector: Float64Array,
  { taps, prediction, power, size, spectrum, reversedSpectrum }: Whitening,
): Float64Array {
  if (!(power > 0)) return vector.slice();
  if (size === 0) return vector.map((v) => v / power);
  const correlated = forwardReal(
    inverseReal(conjugateProduct(forwardReal(vector, size), spectrum)).subarray(0, taps),
    size,
  );
  multiplySpectra(correlated, spectrum);
  const output = inverseReal(correlated).slice(0, taps);
  // B holds the prediction turned round in its last places: only the first and last of the vector meet it.
  const order = prediction.length - 1;
  if (order > 0 && order < taps) {
    const end = new Float64Array(size);
    end.set(vector.subarray(taps - order));
    const upward = forwardReal(end, size);
    const met = forwardReal(inverseReal(conjugateProduct(upward, reversedSpectrum)).subarray(0, order), size);
    multiplySpectra(met, reversedSpectrum);
    const taken = inverseReal(met);
    for (let i = 0; i < order; i++) output[taps - order + i] -= taken[i];
  }
  for (let i = 0; i < taps; i++) output[i] /= power;
  return output;
}

/** a ← a · conj(b) */
function conjugateProduct(a: Float64Array, b: Float64Array): Float64Array {
  for (let k = 0; k < a.length; k += 2) {
    const re = a[k] * b[k] + a[k + 1] * b[k + 1];
    a[k + 1] = a[k + 1] * b[k] - a[k] * b[k + 1];
    a[k] = re;
  }
  return a;
}
