import { kernels, PIECE, places, singles } from "./kernels";

/**
 * One channel of interleaved little-endian integers of 2 or 3 bytes, full scale at ±1, exact: `start` is the byte of its first
 * sample, `stride` the bytes from one to the next.
 */
export function readIntegers(
  bytes: Uint8Array,
  start: number,
  bytesPerSample: 2 | 3,
  stride: number,
  frames: number,
): Float32Array<ArrayBuffer> {
  const output = new Float32Array(frames);
  const [sourceAt, outputAt] = places(stride * PIECE + 4, 4 * PIECE);
  for (let n = 0; n < frames; n += PIECE) {
    const count = Math.min(PIECE, frames - n);
    const from = start + n * stride;
    new Uint8Array(kernels.memory.buffer, sourceAt, stride * count).set(
      bytes.subarray(from, Math.min(bytes.length, from + stride * count)),
    );
    kernels.readIntegers(sourceAt, bytesPerSample, stride, count, outputAt);
    output.set(singles(outputAt, count), n);
  }
  return output;
}
