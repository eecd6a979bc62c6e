import { readWithSilence, type Sound, spareArrays } from "../audio/sound";
import { readIntegers } from "../kernels/integers";
import type { ByteSource } from "./byte-source";
import type { SampleEncoding } from "./decoded-audio";

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

const HOST_IS_LITTLE_ENDIAN = new Uint8Array(Uint16Array.of(1).buffer)[0] === 1;

/** Interleaved samples at the start of `bytes` into an array a channel. Integers are exact up to 24 bits. */
function readSamples(
  bytes: Uint8Array,
  frames: number,
  channelCount: number,
  encoding: PcmEncoding,
  order: PcmOrder,
  channels: Float32Array[],
): void {
  const bytesPerSample = BYTES_PER_SAMPLE[encoding];
  const stride = channelCount * bytesPerSample;
  if (order.littleEndian && (encoding === "16-bit" || encoding === "24-bit")) {
    readIntegers(bytes, encoding === "16-bit" ? 2 : 3, frames, channels);
    return;
  }
  if (order.littleEndian && encoding === "32-bit float" && bytes.byteOffset % 4 === 0 && HOST_IS_LITTLE_ENDIAN) {
    const interleaved = new Float32Array(bytes.buffer, bytes.byteOffset, frames * channelCount);
    for (const [c, channel] of channels.entries()) {
      for (let i = 0, at = c; i < frames; i++, at += channelCount) channel[i] = interleaved[at];
    }
    return;
  }
  const read = sampleReader(new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), encoding, order);
  for (const [c, channel] of channels.entries()) {
    let offset = c * bytesPerSample;
    for (let i = 0; i < frames; i++, offset += stride) channel[i] = read(offset);
  }
}

/** Where and how the samples of a file lie. */
export type PcmLayout = {
  dataStart: number;
  frames: number;
  channelCount: number;
  sampleRateHz: number;
  encoding: PcmEncoding;
  order: PcmOrder;
  /** What samples are to be multiplied with where they stand on the lower side of their container. */
  raised?: number;
};

/** The sound in a file of samples, read in place. */
export function pcmSound(source: ByteSource, layout: PcmLayout): Sound {
  const { dataStart, frames, channelCount, sampleRateHz, encoding, order, raised = 1 } = layout;
  const stride = channelCount * BYTES_PER_SAMPLE[encoding];
  const readInside = (startFrame: number, count: number, into?: Float32Array[]) => {
    const bytes = source.read(dataStart + startFrame * stride, dataStart + (startFrame + count) * stride);
    const channels = into ?? spareArrays(channelCount, count);
    readSamples(bytes, count, channelCount, encoding, order, channels);
    return raised === 1 ? channels : channels.map((channel) => channel.map((v) => v * raised));
  };
  return {
    sampleRateHz,
    channelCount,
    frames,
    read: (startFrame, frameCount, into) =>
      readWithSilence({ frames, channelCount }, startFrame, frameCount, readInside, into),
  };
}
