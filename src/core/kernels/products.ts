import { doubles, kernels, memoryFor } from "./kernels";

/** A channel's spectra, one a segment, interleaved; null where the segment is silent. */
export type Spectra = readonly (Float64Array | null)[];

/**
 * Powers and cross-spectra summed over segments: of every reference channel, of every render channel, and of each of the one with each of
 * the other, conj(reference) · render, at i · (render channels) + j. All spectra of `bins` complex points.
 */
export function summedProducts(
  reference: readonly Spectra[],
  render: readonly Spectra[],
  bins: number,
): { referencePowers: Float64Array[]; renderPowers: Float64Array[]; crosses: Float64Array[] } {
  const count = reference[0].length;
  const size = 16 * bins * count;
  const all = [...reference, ...render];
  const at = memoryFor(...all.map(() => size), 16 * bins);
  const resultAt = at[all.length];
  for (const [c, spectra] of all.entries()) {
    for (const [n, spectrum] of spectra.entries()) {
      const target = doubles(at[c] + 16 * bins * n, 2 * bins);
      if (spectrum) target.set(spectrum);
      else target.fill(0);
    }
  }
  const power = (start: number) => {
    doubles(resultAt, bins).fill(0);
    kernels.addPower(start, bins, count, resultAt);
    return doubles(resultAt, bins).slice();
  };
  const cross = (a: number, b: number) => {
    doubles(resultAt, 2 * bins).fill(0);
    kernels.addCross(a, b, bins, count, resultAt);
    return doubles(resultAt, 2 * bins).slice();
  };
  const [ofReference, ofRender] = [at.slice(0, reference.length), at.slice(reference.length, all.length)];
  return {
    referencePowers: ofReference.map(power),
    renderPowers: ofRender.map(power),
    crosses: ofReference.flatMap((a) => ofRender.map((b) => cross(a, b))),
  };
}
