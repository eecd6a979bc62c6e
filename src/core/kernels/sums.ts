import { doubles, kernels, layFrames, memoryFor, PIECE, placeOf, singles } from "./kernels";

/** Frames [start, end) of a signal, itself where that is all of it. */
const pieceOf = (signal: Float32Array, start: number, end: number): Float32Array =>
  start === 0 && end === signal.length ? signal : signal.subarray(start, end);

/** Largest magnitude of a signal; 0 for an empty one. */
export function largestMagnitude(signal: Float32Array): number {
  const [room] = memoryFor(4 * PIECE);
  let most = 0;
  for (let n = 0; n < signal.length; n += PIECE) {
    const part = pieceOf(signal, n, Math.min(signal.length, n + PIECE));
    most = Math.max(most, kernels.largestMagnitude(placeOf(part, room), part.length));
  }
  return most;
}

/** Lowest and highest sample of each stretch that ends before one of `ends`; not numbers where a sample is not one. */
export function extremesWithin(signal: Float32Array, ends: readonly number[]): { low: number; high: number }[] {
  const [room, outputAt] = memoryFor(signal.byteLength, 8);
  const signalAt = placeOf(signal, room);
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
  const [aRoom, bRoom] = memoryFor(4 * PIECE, 4 * PIECE);
  const frames = Math.min(a.length, b.length);
  let sum = 0;
  for (let n = 0; n < frames; n += PIECE) {
    const end = Math.min(frames, n + PIECE);
    const aAt = placeOf(pieceOf(a, n, end), aRoom);
    sum += ofPiece(aAt, b === a ? aAt : placeOf(pieceOf(b, n, end), bRoom), end - n);
  }
  return sum;
}

/** Σ of a signal's samples in 64 bits. */
export const sumOfSamples = (signal: Float32Array): number =>
  summed(signal, signal, (at, _, count) => kernels.sumOfSingles(at, count));

/** Σ a · b in 64 bits, over the frames both have. */
export const innerProduct = (a: Float32Array, b: Float32Array): number =>
  summed(a, b, (aAt, bAt, count) => kernels.innerProduct(aAt, bAt, count));

/** What two signals are to each other, in 64 bits, over the frames both have. */
type SumsOfBoth = {
  /** Σ a², Σ b², Σ a · b. */
  a: number;
  b: number;
  product: number;
  /** Σ (b − a)². */
  difference: number;
  /** Σ (b · gain − a)². */
  atGain: number;
  /** Largest magnitude of b − a. */
  largestDifference: number;
};

export function pairSums(a: Float32Array, b: Float32Array, gain: number): SumsOfBoth {
  const [aRoom, bRoom, outputAt] = memoryFor(4 * PIECE, 4 * PIECE, 48);
  const frames = Math.min(a.length, b.length);
  const sums = { a: 0, b: 0, product: 0, difference: 0, atGain: 0, largestDifference: 0 };
  for (let n = 0; n < frames; n += PIECE) {
    const end = Math.min(frames, n + PIECE);
    const aAt = placeOf(pieceOf(a, n, end), aRoom);
    kernels.pairSums(aAt, b === a ? aAt : placeOf(pieceOf(b, n, end), bRoom), gain, end - n, outputAt);
    const [own, other, product, difference, atGain, largest] = doubles(outputAt, 6);
    sums.a += own;
    sums.b += other;
    sums.product += product;
    sums.difference += difference;
    sums.atGain += atGain;
    sums.largestDifference = Math.max(sums.largestDifference, largest);
  }
  return sums;
}

/**
 * Σ a², Σ b² and Σ a · b of every stretch of `blockFrames` (a divisor of 131072), three numbers a stretch; the last one is
 * filled up with silence. Both signals of one length.
 */
export function blockProducts(a: Float32Array, b: Float32Array, blockFrames: number): Float64Array<ArrayBuffer> {
  const blocks = Math.ceil(a.length / blockFrames);
  const output = new Float64Array(3 * blocks);
  const blocksAPiece = PIECE / blockFrames;
  const [aRoom, bRoom, outputAt] = memoryFor(4 * PIECE, 4 * PIECE, 24 * blocksAPiece);
  for (let block = 0; block < blocks; block += blocksAPiece) {
    const count = Math.min(blocksAPiece, blocks - block);
    const from = block * blockFrames;
    const frames = count * blockFrames;
    const at = (signal: Float32Array, room: number) => {
      if (from === 0 && frames === signal.length) return placeOf(signal, room);
      layFrames(signal, from, singles(room, frames));
      return room;
    };
    const aAt = at(a, aRoom);
    kernels.blockProducts(aAt, b === a ? aAt : at(b, bRoom), blockFrames, count, outputAt);
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
  const [keepsAt, stateAt, energiesAt, sumsAt, leftRoom, rightRoom] = memoryFor(...sizes);
  doubles(keepsAt, 3).set(keeps);
  doubles(stateAt, 6).set(state);
  doubles(energiesAt, 8 * ends.length).fill(0);
  const leftAt = placeOf(pieceOf(left, 0, frames), leftRoom);
  const rightAt = right === left ? leftAt : placeOf(pieceOf(right, 0, frames), rightRoom);
  kernels.midAndSideSums(leftAt, rightAt, factor, sumsAt, count);
  for (const [i, end] of ends.entries()) {
    const start = ends[i - 1] ?? 0;
    kernels.bandEnergies(sumsAt + 8 * start, end - start, keepsAt, stateAt, energiesAt + 64 * i);
  }
  state.set(doubles(stateAt, 6));
  return doubles(energiesAt, 8 * ends.length).slice();
}
