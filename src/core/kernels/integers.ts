import { kernels, memoryFor, PIECE, singles } from "./kernels";

/** Interleaved little-endian integers of 2 or 3 bytes into their channels, full scale at ±1, exact. */
export function readIntegers(
  bytes: Uint8Array,
  bytesPerSample: 2 | 3,
  frames: number,
  channels: readonly Float32Array[],
): void {
  const stride = bytesPerSample * channels.length;
  const piece = Math.min(PIECE, frames);
  const isStereo24 = bytesPerSample === 3 && channels.length === 2;
  // A frame more of room: two are read at a time.
  const [sourceAt, outputAt, rightAt] = memoryFor(stride * piece + 16, 4 * piece + 8, isStereo24 ? 4 * piece + 8 : 0);
  for (let n = 0; n < frames; n += piece) {
    const count = Math.min(piece, frames - n);
    const part = bytes.subarray(n * stride, (n + count) * stride);
    new Uint8Array(kernels.memory.buffer, sourceAt, part.length).set(part);
    if (isStereo24) {
      kernels.readStereo24(sourceAt, count, outputAt, rightAt);
      channels[0].set(singles(outputAt, count), n);
      channels[1].set(singles(rightAt, count), n);
      continue;
    }
    for (const [c, channel] of channels.entries()) {
      kernels.readIntegers(sourceAt + c * bytesPerSample, bytesPerSample, stride, count, outputAt);
      channel.set(singles(outputAt, count), n);
    }
  }
}
