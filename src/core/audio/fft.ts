import { doubles, keptAt, kernels, memoryFor, singles } from "../kernels/kernels";
import { timesInto } from "../numeric/vectors";
import { cos, sin } from "./exact-math";

/** The smallest power of two that is at least `n` (and at least 4). */
export function powerOfTwoAtLeast(n: number): number {
  let size = 4;
  while (size < n) size *= 2;
  return size;
}

const roots = new Map<number, Float64Array>();

/** exp(−2πi k / size) for k < ¾ size, interleaved; an eighth of the circle is computed, the rest mirrored. */
function rootsOf(size: number): Float64Array {
  const known = roots.get(size);
  if (known) return known;
  const count = (3 * size) / 4;
  const table = new Float64Array(2 * count);
  const set = (k: number, re: number, im: number) => {
    if (k < count) {
      table[2 * k] = re;
      table[2 * k + 1] = im;
    }
  };
  for (let k = 0; k <= size / 8; k++) {
    const angle = (2 * Math.PI * k) / size;
    const [c, s] = [cos(angle), sin(angle)];
    set(k, c, -s);
    set(size / 4 - k, s, -c);
    set(size / 4 + k, -s, -c);
    set(size / 2 - k, -c, -s);
    set(size / 2 + k, -c, s);
    set((3 * size) / 4 - k, -s, c);
  }
  // A circle of four points has no eighth to begin from.
  if (size === 4) table.set([1, 0, 0, -1, -1, 0]);
  roots.set(size, table);
  return table;
}

/** Sizes whose roots stay in the module's memory: those of segments, which are transformed thousands of times. */
const MOST_KEPT_SIZE = 1 << 16;

/** Room for a transform of `size` reals and its roots, and what else is asked for. */
function roomFor(size: number, ...others: number[]) {
  const table = rootsOf(size);
  const keptRootsAt = size <= MOST_KEPT_SIZE ? keptAt(table) : null;
  const passing = keptRootsAt === null ? table.byteLength : 0;
  const [dataAt, workAt, outputAt, passingAt, ...othersAt] = memoryFor(
    8 * size,
    8 * size,
    8 * (size + 2),
    passing,
    ...others,
  );
  if (keptRootsAt === null) doubles(passingAt, table.length).set(table);
  return { rootsAt: keptRootsAt ?? passingAt, dataAt, workAt, outputAt, othersAt };
}

/** Spectrum of the `size` reals that lie at `dataAt`. */
function transformed({ rootsAt, dataAt, workAt, outputAt }: ReturnType<typeof roomFor>, size: number) {
  const packedAt = kernels.transform(dataAt, workAt, size / 2, rootsAt, 2);
  kernels.unfold(packedAt, size / 2, rootsAt, outputAt);
  return doubles(outputAt, size + 2).slice();
}

/** Spectrum of a real signal, zero-padded to `size` (a power of two from 4): size / 2 + 1 complex bins, interleaved. */
export function forwardReal(signal: ArrayLike<number>, size: number): Float64Array<ArrayBuffer> {
  const room = roomFor(size);
  const data = doubles(room.dataAt, size);
  const length = Math.min(signal.length, size);
  if (length === signal.length) data.set(signal);
  else for (let i = 0; i < length; i++) data[i] = signal[i];
  data.fill(0, length);
  return transformed(room, size);
}

/** Spectrum of a signal from a frame on, under a window of a power of two from 4. */
export function windowedSpectrum(signal: Float64Array, at: number, window: Float64Array): Float64Array<ArrayBuffer> {
  const size = window.length;
  const room = roomFor(size);
  timesInto(doubles(room.dataAt, size), window, signal.subarray(at, at + size));
  return transformed(room, size);
}

/** Spectrum of a signal under a window of its own length (a power of two from 4), which stays in memory. */
export function forwardWindowed(signal: Float32Array, window: Float64Array): Float64Array<ArrayBuffer> {
  const size = window.length;
  const windowAt = keptAt(window);
  const room = roomFor(size, 4 * size);
  const [signalAt] = room.othersAt;
  singles(signalAt, size).set(signal);
  kernels.windowed(signalAt, windowAt, room.dataAt, size);
  return transformed(room, size);
}

/**
 * Spectra of `count` windows of each signal, `hop` samples apart, laid one behind the other in the module's memory for as long as `work` runs: it is given
 * where those of each signal begin, and room for `resultBytes`. Windows of sizes that stay in memory (to 65,536 points).
 */
export function whileTransformed(
  signals: readonly Float32Array[],
  window: Float64Array,
  hop: number,
  count: number,
  resultBytes: number,
  work: (spectraAt: readonly number[], resultAt: number) => void,
): void {
  const size = window.length;
  const windowAt = keptAt(window);
  const spectrumBytes = 8 * (size + 2);
  const length = (count - 1) * hop + size;
  const room = roomFor(size, 4 * length, resultBytes, ...signals.map(() => count * spectrumBytes));
  const { rootsAt, dataAt, workAt, othersAt } = room;
  const [signalAt, resultAt, ...spectraAt] = othersAt;
  for (const [s, signal] of signals.entries()) {
    singles(signalAt, length).set(signal.length === length ? signal : signal.subarray(0, length));
    for (let n = 0; n < count; n++) {
      kernels.windowed(signalAt + 4 * n * hop, windowAt, dataAt, size);
      const packedAt = kernels.transform(dataAt, workAt, size / 2, rootsAt, 2);
      kernels.unfold(packedAt, size / 2, rootsAt, spectraAt[s] + n * spectrumBytes);
    }
  }
  work(spectraAt, resultAt);
}

/** The signal of the spectrum that lies at `spectrumAt`, of `size` reals: where it lies. */
function untransformed({ rootsAt, dataAt, workAt }: ReturnType<typeof roomFor>, spectrumAt: number, size: number) {
  kernels.fold(spectrumAt, size / 2, rootsAt, dataAt);
  const packedAt = kernels.transform(dataAt, workAt, size / 2, rootsAt, 2);
  kernels.straightened(packedAt, size, 1 / size);
  return packedAt;
}

/** The way back: size / 2 + 1 complex bins to `size` real samples. */
export function inverseReal(spectrum: Float64Array): Float64Array<ArrayBuffer> {
  const size = spectrum.length - 2;
  const room = roomFor(size);
  doubles(room.outputAt, size + 2).set(spectrum);
  return doubles(untransformed(room, room.outputAt, size), size).slice();
}

/** Where samples [from, from + count) of a block go: into `output` from `at` on. */
type Target = { output: Float64Array; at: number; from: number; count: number };

/** Writes the signal of the spectrum that lies at `spectrumAt` to where it goes. */
function writtenTo(room: ReturnType<typeof roomFor>, spectrumAt: number, size: number, target: Target): void {
  const { output, at, from, count } = target;
  output.set(doubles(untransformed(room, spectrumAt, size) + 8 * from, count), at);
}

/** Writes the signal whose spectrum is Σ a · b. */
export function multipliedInto(a: readonly Float64Array[], b: readonly Float64Array[], target: Target): void {
  const size = a[0].length - 2;
  const room = roomFor(size, 8 * (size + 2), 8 * (size + 2));
  const [aAt, bAt] = room.othersAt;
  doubles(room.outputAt, size + 2).fill(0);
  for (const [i, spectrum] of a.entries()) {
    doubles(aAt, size + 2).set(spectrum);
    doubles(bAt, size + 2).set(b[i]);
    kernels.addProducts(aAt, bAt, size / 2 + 1, room.outputAt);
  }
  writtenTo(room, room.outputAt, size, target);
}

/** Writes what responses, given by their spectra, make of a piece, each to a target of its own. */
export function filteredIntoEach(
  piece: Float64Array,
  spectra: readonly Float64Array[],
  outputs: readonly Float64Array[],
  place: Omit<Target, "output">,
): void {
  const size = spectra[0].length - 2;
  const room = roomFor(size, 8 * (size + 2), 8 * (size + 2));
  const [aAt, bAt] = room.othersAt;
  transformedTo(room, piece, 0, size, aAt);
  for (const [i, spectrum] of spectra.entries()) {
    doubles(bAt, size + 2).set(spectrum);
    doubles(room.outputAt, size + 2).fill(0);
    kernels.addProducts(aAt, bAt, size / 2 + 1, room.outputAt);
    writtenTo(room, room.outputAt, size, { ...place, output: outputs[i] });
  }
}

/** Writes what responses, given by their spectra, make of pieces of inputs, summed. */
export function filteredInto(pieces: readonly Float64Array[], spectra: readonly Float64Array[], target: Target): void {
  const size = spectra[0].length - 2;
  const room = roomFor(size, 8 * (size + 2), 8 * (size + 2));
  const [aAt, bAt] = room.othersAt;
  doubles(room.outputAt, size + 2).fill(0);
  for (const [i, piece] of pieces.entries()) {
    transformedTo(room, piece, 0, size, aAt);
    doubles(bAt, size + 2).set(spectra[i]);
    kernels.addProducts(aAt, bAt, size / 2 + 1, room.outputAt);
  }
  writtenTo(room, room.outputAt, size, target);
}

/** Adds conj(a) times the spectrum of a piece, `lead` zeros before it, to the sum beside each a. */
export function addCorrelated(
  piece: Float64Array,
  lead: number,
  spectra: readonly Float64Array[],
  sums: readonly Float64Array[],
): void {
  const size = sums[0].length - 2;
  const room = roomFor(size, 8 * (size + 2), 8 * (size + 2));
  const [aAt, sumAt] = room.othersAt;
  transformedTo(room, piece, lead, size, room.outputAt);
  for (const [i, sum] of sums.entries()) {
    doubles(aAt, size + 2).set(spectra[i]);
    const added = doubles(sumAt, size + 2);
    added.set(sum);
    kernels.addCross(aAt, room.outputAt, size / 2 + 1, 1, sumAt);
    sum.set(added);
  }
}

/** Lays the spectrum of a piece, zeros around it, at a place in memory. */
function transformedTo(
  { rootsAt, dataAt, workAt }: ReturnType<typeof roomFor>,
  piece: Float64Array,
  lead: number,
  size: number,
  spectrumAt: number,
): void {
  const data = doubles(dataAt, size);
  data.fill(0, 0, lead);
  data.set(piece, lead);
  data.fill(0, lead + piece.length);
  kernels.unfold(kernels.transform(dataAt, workAt, size / 2, rootsAt, 2), size / 2, rootsAt, spectrumAt);
}

/** a ← a · b, bin by bin: what a filter does to a spectrum. */
export function multiplySpectra(a: Float64Array, b: Float64Array): void {
  for (let i = 0; i < a.length; i += 2) {
    const re = a[i] * b[i] - a[i + 1] * b[i + 1];
    a[i + 1] = a[i] * b[i + 1] + a[i + 1] * b[i];
    a[i] = re;
  }
}
