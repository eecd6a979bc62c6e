import { doubles, kernels, layFrames, memoryFor, PIECE, singles } from "./kernels";

/** Largest magnitude of a signal; 0 for an empty one. */
export function largestMagnitude(signal: Float32Array): number {
  const [at] = memoryFor(4 * PIECE);
  let most = 0;
  for (let n = 0; n < signal.length; n += PIECE) {
    const part = signal.subarray(n, n + PIECE);
    singles(at, part.length).set(part);
    most = Math.max(most, kernels.largestMagnitude(at, part.length));
  }
  return most;
}

/** Lowest and highest sample of each stretch that ends before one of `ends`; not numbers where a sample is not one. */
export function extremesWithin(signal: Float32Array, ends: readonly number[]): { low: number; high: number }[] {
  const [signalAt, outputAt] = memoryFor(signal.byteLength, 8);
  singles(signalAt, signal.length).set(signal);
  return ends.map((end, i) => {
    const start = ends[i - 1] ?? 0;
    kernels.extremes(signalAt + 4 * start, end - start, outputAt);
    const [low, high] = singles(outputAt, 2);
    return { low, high };
  });
}

/** Sum over the frames both have, piece by piece. */
function summed(
  a: Float32Array,
  b: Float32Array,
  ofPiece: (aAt: number, bAt: number, count: number) => number,
): number {
  const [aAt, bAt] = memoryFor(4 * PIECE, 4 * PIECE);
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

/** Σ of a signal's samples in 64 bits. */
export const sumOfSamples = (signal: Float32Array): number =>
  summed(signal, signal, (at, _, count) => kernels.sumOfSingles(at, count));

/** Σ a · b in 64 bits, over the frames both have. */
export const innerProduct = (a: Float32Array, b: Float32Array): number =>
  summed(a, b, (aAt, bAt, count) => kernels.innerProduct(aAt, bAt, count));

/** Σ (b · gain − a)² in 64 bits, over the frames both have. */
export const differenceEnergy = (a: Float32Array, b: Float32Array, gain: number): number =>
  summed(a, b, (aAt, bAt, count) => kernels.differenceEnergy(aAt, bAt, gain, count));

/** Largest magnitude of a − b, over the frames both have. */
export function largestDifference(a: Float32Array, b: Float32Array): number {
  if (a === b) return 0;
  const frames = Math.min(a.length, b.length);
  let most = 0;
  for (let i = 0; i < frames; i++) {
    const apart = a[i] > b[i] ? a[i] - b[i] : b[i] - a[i];
    if (apart > most) most = apart;
  }
  return most;
}

/**
 * Σ a², Σ b² and Σ a · b of every stretch of `blockFrames` (a divisor of 131072), three numbers a stretch; the last one is
 * filled up with silence. Both signals of one length.
 */
export function blockProducts(a: Float32Array, b: Float32Array, blockFrames: number): Float64Array<ArrayBuffer> {
  const blocks = Math.ceil(a.length / blockFrames);
  const output = new Float64Array(3 * blocks);
  const blocksAPiece = PIECE / blockFrames;
  const [aAt, bAt, outputAt] = memoryFor(4 * PIECE, 4 * PIECE, 24 * blocksAPiece);
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

/**
 * Energies of left + right and of left − right in four bands, `factor` frames summed to one, in each of some stretches that end before `ends`
 * (in summed frames): eight numbers a stretch, both of the lowest band first. Bands are split by one-pole filters: `keeps` is how much of each
 * step the three follow; `state` (six numbers) is what they hold, kept from call to call.
 */
export function midAndSideBandEnergies(
  left: Float32Array,
  right: Float32Array,
  factor: number,
  ends: readonly number[],
  keeps: readonly number[],
  state: Float64Array,
): Float64Array<ArrayBuffer> {
  const count = ends.at(-1) ?? 0;
  const frames = count * factor;
  const sizes = [24, 48, 64 * ends.length, 8 * count, 4 * frames, 4 * frames];
  const [keepsAt, stateAt, energiesAt, sumsAt, leftAt, rightAt] = memoryFor(...sizes);
  doubles(keepsAt, 3).set(keeps);
  doubles(stateAt, 6).set(state);
  doubles(energiesAt, 8 * ends.length).fill(0);
  singles(leftAt, frames).set(left.subarray(0, frames));
  if (right !== left) singles(rightAt, frames).set(right.subarray(0, frames));
  kernels.midAndSideSums(leftAt, right === left ? leftAt : rightAt, factor, sumsAt, count);
  for (const [i, end] of ends.entries()) {
    const start = ends[i - 1] ?? 0;
    kernels.bandEnergies(sumsAt + 8 * start, end - start, keepsAt, stateAt, energiesAt + 64 * i);
  }
  state.set(doubles(stateAt, 6));
  return doubles(energiesAt, 8 * ends.length).slice();
}
