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

/** Sums by signal: powers, the largest of each bin, and cross-spectra of all but the first with the first. */
type SpectrumSums = { powers: Float64Array[]; maxima: Float64Array[]; crosses: Float64Array[] };

/** Room that `addSpectra` needs, bytes. */
export const sumsBytes = (signals: number, bins: number): number => 8 * bins * (2 * signals + 2 * (signals - 1));

/** Adds to sums what spectra of several signals hold that lie in memory, `count` of each one behind the other. */
export function addSpectra(
  spectraAt: readonly number[],
  roomAt: number,
  bins: number,
  count: number,
  { powers, maxima, crosses }: SpectrumSums,
): void {
  const bytes = 8 * bins;
  doubles(roomAt, sumsBytes(spectraAt.length, bins) / 8).fill(0);
  for (const [s, at] of spectraAt.entries()) {
    const powerAt = roomAt + 2 * s * bytes;
    kernels.addPowerAndMost(at, bins, count, powerAt, powerAt + bytes);
    const [power, most] = [doubles(powerAt, bins), doubles(powerAt + bytes, bins)];
    for (let k = 0; k < bins; k++) {
      powers[s][k] += power[k];
      if (most[k] > maxima[s][k]) maxima[s][k] = most[k];
    }
    if (s === 0) continue;
    const crossAt = roomAt + 2 * (spectraAt.length + s - 1) * bytes;
    kernels.addCross(spectraAt[0], at, bins, count, crossAt);
    const cross = doubles(crossAt, 2 * bins);
    for (let k = 0; k < 2 * bins; k++) crosses[s - 1][k] += cross[k];
  }
}
