import { doubles, kernels, memoryFor } from "../kernels/kernels";
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

/** Spectrum of a real signal, zero-padded to `size` (a power of two from 4): size / 2 + 1 complex bins, interleaved. */
export function forwardReal(signal: ArrayLike<number>, size: number): Float64Array<ArrayBuffer> {
  const table = rootsOf(size);
  const [rootsAt, dataAt, workAt, outputAt] = memoryFor(table.byteLength, 8 * size, 8 * size, 8 * (size + 2));
  doubles(rootsAt, table.length).set(table);
  const data = doubles(dataAt, size);
  const length = Math.min(signal.length, size);
  if (length === signal.length) data.set(signal);
  else for (let i = 0; i < length; i++) data[i] = signal[i];
  data.fill(0, length);
  const packedAt = kernels.transform(dataAt, workAt, size / 2, rootsAt, 2);
  kernels.unfold(packedAt, size / 2, rootsAt, outputAt);
  return doubles(outputAt, size + 2).slice();
}

/** The way back: size / 2 + 1 complex bins to `size` real samples. */
export function inverseReal(spectrum: Float64Array): Float64Array<ArrayBuffer> {
  const size = spectrum.length - 2;
  const table = rootsOf(size);
  const [rootsAt, dataAt, workAt, outputAt] = memoryFor(table.byteLength, 8 * size, 8 * size, 8 * (size + 2));
  doubles(rootsAt, table.length).set(table);
  doubles(outputAt, size + 2).set(spectrum);
  kernels.fold(outputAt, size / 2, rootsAt, dataAt);
  const packedAt = kernels.transform(dataAt, workAt, size / 2, rootsAt, 2);
  const signal = doubles(packedAt, size).slice();
  const scale = 1 / size;
  for (let i = 0; i < size; i += 2) {
    signal[i] *= scale;
    signal[i + 1] *= -scale;
  }
  return signal;
}
