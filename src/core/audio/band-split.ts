import { cos } from "./exact-math";
import { inverseReal } from "./fft";
import { throughEach } from "./through-filters";

/** Share of each band at a frequency, adding up to 1: those of Linkwitz-Riley crossovers of the fourth order, their common phase left out. */
export function sharesAt(hertz: number, edgesHz: readonly number[], into: Float64Array): void {
  let below = 1;
  // From the top down: what an edge lets through is parted further by the edges under it.
  for (let b = edgesHz.length - 1; b >= 0; b--) {
    const square = (hertz / edgesHz[b]) * (hertz / edgesHz[b]);
    const under = 1 / (1 + square * square);
    into[b + 1] = below * (1 - under);
    below *= under;
  }
  into[0] = below;
}

/** Taps of what parts a sound into bands. */
const BAND_TAPS = 8192;

/** What parts a sound into bands, by linear-phase responses under a Hann window, their middle at time zero; they add up to an impulse. */
export function bandResponses(edgesHz: readonly number[], rateHz: number): { responses: Float64Array[]; lead: number } {
  const shares = new Float64Array(edgesHz.length + 1);
  const spectra = Array.from(shares, () => new Float64Array(BAND_TAPS + 2));
  for (let k = 0; k <= BAND_TAPS / 2; k++) {
    sharesAt((k * rateHz) / BAND_TAPS, edgesHz, shares);
    for (const [b, spectrum] of spectra.entries()) spectrum[2 * k] = shares[b];
  }
  const responses = spectra.map((spectrum) => {
    const response = inverseReal(spectrum);
    return Float64Array.from(response, (_, i) => {
      const at = i - BAND_TAPS / 2;
      return response[(at + BAND_TAPS) % BAND_TAPS] * (0.5 + 0.5 * cos((2 * Math.PI * at) / BAND_TAPS));
    });
  });
  return { responses, lead: BAND_TAPS / 2 };
}

/** A signal in bands between edges, without any phase of their own; they add up to it. */
export function inBands(signal: Float64Array, edgesHz: readonly number[], rateHz: number): Float64Array[] {
  if (edgesHz.length === 0) return [signal];
  const { responses, lead } = bandResponses(edgesHz, rateHz);
  return throughEach(signal, responses, lead);
}

/** The same, cut more roughly at its ends, of a signal whose spectrum is known: so many frames of it. */
export function partedSpectrum(
  spectrum: Float64Array,
  edgesHz: readonly number[],
  rateHz: number,
  frames: number,
): Float64Array[] {
  const size = spectrum.length - 2;
  const shares = new Float64Array(edgesHz.length + 1);
  const bands = Array.from(shares, () => new Float64Array(size + 2));
  for (let k = 0; k <= size / 2; k++) {
    sharesAt((k * rateHz) / size, edgesHz, shares);
    for (const [b, band] of bands.entries()) {
      band[2 * k] = shares[b] * spectrum[2 * k];
      band[2 * k + 1] = shares[b] * spectrum[2 * k + 1];
    }
  }
  return bands.map((band) => inverseReal(band).slice(0, frames));
}
