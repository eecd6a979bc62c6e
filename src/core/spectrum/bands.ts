import { log2, pow } from "../audio/exact-math";

/** Centres in Hz, `perOctave` to the octave on either side of 1 kHz, within a range; base ten as IEC 61260-1 asks where it is three. */
export function bandCentres(perOctave: number, lowestHz: number, highestHz: number): number[] {
  const step = pow(10, 0.3 / perOctave);
  const first = Math.ceil(log2(lowestHz / 1000) / log2(step) - 1e-9);
  const last = Math.floor(log2(highestHz / 1000) / log2(step) + 1e-9);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, i) => 1000 * pow(step, first + i));
}

/** Sums of bins over a band around each centre, half a step to each side; bins at the edges are shared by how much of them lies inside. */
export function bandSums(
  bins: Float64Array,
  binHz: number,
  centres: readonly number[],
  perOctave: number,
): Float64Array {
  const half = pow(10, 0.15 / perOctave);
  const before = new Float64Array(bins.length + 1);
  for (let k = 0; k < bins.length; k++) before[k + 1] = before[k] + bins[k];
  // Bin k reaches from k − ½ to k + ½.
  const upTo = (hertz: number) => {
    const place = Math.min(bins.length, Math.max(0, hertz / binHz + 0.5));
    const k = Math.min(bins.length - 1, Math.floor(place));
    return before[k] + (place - k) * bins[k];
  };
  return Float64Array.from(centres, (centre) => upTo(centre * half) - upTo(centre / half));
}
