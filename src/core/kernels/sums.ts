import { kernels, PIECE, places, singles } from "./kernels";

/** Largest magnitude of a signal; 0 for an empty one. */
export function largestMagnitude(signal: Float32Array): number {
  const [at] = places(4 * PIECE);
  let most = 0;
  for (let n = 0; n < signal.length; n += PIECE) {
    const part = signal.subarray(n, n + PIECE);
    singles(at, part.length).set(part);
    most = Math.max(most, kernels.largestMagnitude(at, part.length));
  }
  return most;
}

/** Sum over the frames both have, piece by piece. */
function summed(
  a: Float32Array,
  b: Float32Array,
  ofPiece: (aAt: number, bAt: number, count: number) => number,
): number {
  const [aAt, bAt] = places(4 * PIECE, 4 * PIECE);
  const frames = Math.min(a.length, b.length);
  let sum = 0;
  for (let n = 0; n < frames; n += PIECE) {
    const count = Math.min(PIECE, frames - n);
    singles(aAt, count).set(a.subarray(n, n + count));
    if (b !== a) singles(bAt, count).set(b.subarray(n, n + count));
    sum += ofPiece(aAt, b === a ? aAt : bAt, count);
  }
  return sum;
}

/** Σ a · b in 64 bits, over the frames both have. */
export const innerProduct = (a: Float32Array, b: Float32Array): number =>
  summed(a, b, (aAt, bAt, count) => kernels.innerProduct(aAt, bAt, count));

/** Σ (b · gain − a)² in 64 bits, over the frames both have. */
export const differenceEnergy = (a: Float32Array, b: Float32Array, gain: number): number =>
  summed(a, b, (aAt, bAt, count) => kernels.differenceEnergy(aAt, bAt, gain, count));
