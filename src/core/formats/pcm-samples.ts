import { readIntegers } from "../kernels/integers";
import type { DecodedAudio, SampleEncoding } from "./decoded-audio";

export type PcmEncoding = Extract<
  SampleEncoding,
  "8-bit" | "16-bit" | "24-bit" | "32-bit" | "32-bit float" | "64-bit float"
>;

export const BYTES_PER_SAMPLE: Record<PcmEncoding, number> = {
  "8-bit": 1,
  "16-bit": 2,
  "24-bit": 3,
  "32-bit": 4,
  "32-bit float": 4,
  "64-bit float": 8,
};

/** How samples lie in the file: byte order, and whether single bytes are offset (WAV) or signed (AIFF). */
export type PcmOrder = { littleEndian: boolean; unsignedBytes: boolean };

/** Reads one sample at a byte offset as value / 2^(bits − 1), or as the float it is. */
function sampleReader(
  view: DataView,
  encoding: PcmEncoding,
  { littleEndian: le, unsignedBytes }: PcmOrder,
): (offset: number) => number {
  switch (encoding) {
    case "8-bit":
      return unsignedBytes ? (o) => (view.getUint8(o) - 128) / 128 : (o) => view.getInt8(o) / 128;
    case "16-bit":
      return (o) => view.getInt16(o, le) / 32768;
    case "24-bit":
      return le
        ? (o) => ((view.getInt8(o + 2) << 16) | (view.getUint8(o + 1) << 8) | view.getUint8(o)) / 8388608
        : (o) => ((view.getInt8(o) << 16) | (view.getUint8(o + 1) << 8) | view.getUint8(o + 2)) / 8388608;
    case "32-bit":
      return (o) => view.getInt32(o, le) / 2147483648;
    case "32-bit float":
      return (o) => view.getFloat32(o, le);
    case "64-bit float":
      return (o) => view.getFloat64(o, le);
  }
}

/** Interleaved samples from `dataStart`, one array a channel. Integers are exact up to 24 bits. */
export function readSamples(
  view: DataView,
  dataStart: number,
  frames: number,
  channelCount: number,
  encoding: PcmEncoding,
  order: PcmOrder,
): DecodedAudio["clip"]["channels"] {
  const read = sampleReader(view, encoding, order);
  const bytesPerSample = BYTES_PER_SAMPLE[encoding];
  const stride = channelCount * bytesPerSample;
  if (order.littleEndian && (encoding === "16-bit" || encoding === "24-bit")) {
    const bytes = new Uint8Array(view.buffer, view.byteOffset, view.byteLength);
    const size = encoding === "16-bit" ? 2 : 3;
    return Array.from({ length: channelCount }, (_, c) =>
      readIntegers(bytes, dataStart + c * bytesPerSample, size, stride, frames),
    );
  }
  return Array.from({ length: channelCount }, (_, c) => {
    const channel = new Float32Array(frames);
    let offset = dataStart + c * bytesPerSample;
    for (let i = 0; i < frames; i++, offset += stride) channel[i] = read(offset);
    return channel;
  });
}
