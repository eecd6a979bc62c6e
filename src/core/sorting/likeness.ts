import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import type { Signature } from "./signature";

type Bands = Signature["bands"];

/** Less than this part of the shorter sound in common is no likeness. */
const LEAST_SHARED = 0.5;

/** Σ over bands of a(t) · b(t + lag), for every lag, through the FFT; index = lag modulo the size. */
function correlation(a: Bands, b: Bands): Float64Array {
  const size = powerOfTwoAtLeast(a[0].length + b[0].length);
  const cross = new Float64Array(size + 2);
  a.forEach((band, n) => {
    const x = forwardReal(band, size);
    const y = forwardReal(b[n], size);
    for (let i = 0; i < cross.length; i += 2) {
      cross[i] += x[i] * y[i] + x[i + 1] * y[i + 1];
      cross[i + 1] += x[i] * y[i + 1] - x[i + 1] * y[i];
    }
  });
  return inverseReal(cross);
}

/** Running sums of the energy over all bands, so that any stretch's energy is one subtraction. */
function energySums(bands: Bands): Float64Array {
  const sums = new Float64Array(bands[0].length + 1);
  for (let i = 0; i < bands[0].length; i++) {
    let energy = 0;
    for (const band of bands) energy += band[i] * band[i];
    sums[i + 1] = sums[i] + energy;
  }
  return sums;
}

/** As alike as this, the mids say enough. */
const ALIKE_ENOUGH = 0.6;
/** Two more tries would bring strangers together: a mid and a side must be this much alike to count. Set by trial (docs/figures.md). */
const ALIKE_ACROSS = 0.8;

/**
 * How alike two sounds move, at the lag where they do most: the normalised correlation over the stretch they share, 1 for the
 * same sound, 0.5 at most for strangers. 0 when either is silent. Where the mids say little, one's mid is held against the other's side: a
 * channel inverted makes one of the other.
 */
export function likenessOf(a: Signature, b: Signature): number {
  const mids = bandsLikeness(a.bands, b.bands);
  if (mids >= ALIKE_ENOUGH) return mids;
  const across = Math.max(
    b.sideBands ? bandsLikeness(a.bands, b.sideBands) : 0,
    a.sideBands ? bandsLikeness(a.sideBands, b.bands) : 0,
  );
  return across >= ALIKE_ACROSS ? across : mids;
}

function bandsLikeness(a: Bands, b: Bands): number {
  const lengthA = a[0].length;
  const lengthB = b[0].length;
  const products = correlation(a, b);
  const sumsA = energySums(a);
  const sumsB = energySums(b);
  const least = LEAST_SHARED * Math.min(lengthA, lengthB);
  let best = 0;
  for (let lag = -lengthA + 1; lag < lengthB; lag++) {
    const from = Math.max(0, -lag);
    const to = Math.min(lengthA, lengthB - lag);
    if (to - from < least) continue;
    const energies = (sumsA[to] - sumsA[from]) * (sumsB[to + lag] - sumsB[from + lag]);
    if (energies <= 0) continue;
    best = Math.max(best, products[(lag + products.length) % products.length] / Math.sqrt(energies));
  }
  return Math.min(1, best);
}
