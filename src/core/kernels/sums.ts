import { doubles, kernels, layFrames, PIECE, places, singles } from "./kernels";

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

/**
 * Σ a², Σ b² and Σ a · b of every stretch of `blockFrames` (a divisor of 131072), three numbers a stretch; the last one is
 * filled up with silence. Both signals of one length.
 */
export function blockProducts(a: Float32Array, b: Float32Array, blockFrames: number): Float64Array<ArrayBuffer> {
  const blocks = Math.ceil(a.length / blockFrames);
  const output = new Float64Array(3 * blocks);
  const blocksAPiece = PIECE / blockFrames;
  const [aAt, bAt, outputAt] = places(4 * PIECE, 4 * PIECE, 24 * blocksAPiece);
  for (let block = 0; block < blocks; block += blocksAPiece) {
    const count = Math.min(blocksAPiece, blocks - block);
    const from = block * blockFrames;
    layFrames(a, from, singles(aAt, count * blockFrames));
    if (b !== a) layFrames(b, from, singles(bAt, count * blockFrames));
    kernels.blockProducts(aAt, b === a ? aAt : bAt, blockFrames, count, outputAt);
    output.set(doubles(outputAt, 3 * count), 3 * block);
  }
  return output;
}
