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

/** Sums of `factor` frames each of left + sign · right; what is left over at the end is left out. */
export function summedFrames(
  left: Float32Array,
  right: Float32Array,
  sign: 1 | -1,
  factor: number,
): Float32Array<ArrayBuffer> {
  const count = Math.floor(left.length / factor);
  const [leftAt, rightAt, outputAt] = memoryFor(left.byteLength, right.byteLength, 4 * count);
  singles(leftAt, left.length).set(left);
  if (right !== left) singles(rightAt, right.length).set(right);
  kernels.sumsOf(leftAt, right === left ? leftAt : rightAt, sign, factor, outputAt, count);
  return singles(outputAt, count).slice();
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
 * Energies of a signal in four bands in each of some stretches that end before `ends`, four numbers a stretch. Bands are split by one-pole
 * filters: `keeps` is how much of each step the three follow; `state` is what they hold, kept from call to call.
 */
export function bandEnergies(
  signal: Float32Array,
  ends: readonly number[],
  keeps: readonly number[],
  state: Float64Array,
): Float64Array<ArrayBuffer> {
  const [signalAt, keepsAt, stateAt, energiesAt] = memoryFor(signal.byteLength, 24, 24, 32 * ends.length);
  singles(signalAt, signal.length).set(signal);
  doubles(keepsAt, 3).set(keeps);
  doubles(stateAt, 3).set(state);
  doubles(energiesAt, 4 * ends.length).fill(0);
  for (const [i, end] of ends.entries()) {
    const start = ends[i - 1] ?? 0;
    kernels.bandEnergies(signalAt + 4 * start, end - start, keepsAt, stateAt, energiesAt + 32 * i);
  }
  state.set(doubles(stateAt, 3));
  return doubles(energiesAt, 4 * ends.length).slice();
}
