import { type Clip, frameCount } from "../audio/clip";

export type WavEncoding = "16-bit" | "24-bit" | "32-bit" | "32-bit float";

const HEADER_BYTES = 44;

const roundInto = (value: number, scale: number): number =>
  Math.max(-scale, Math.min(scale - 1, Math.round(value * scale)));

/**
 * A RIFF WAVE file of the clip. Integers are value · 2^(bits − 1), rounded to nearest and clipped, without dither:
 * a clip read from integers of the same size is written back bit for bit.
 */
export function writeWav(clip: Clip, encoding: WavEncoding): Uint8Array<ArrayBuffer> {
  const bytesPerSample = encoding === "16-bit" ? 2 : encoding === "24-bit" ? 3 : 4;
  const channelCount = clip.channels.length;
  const dataBytes = frameCount(clip) * channelCount * bytesPerSample;
  const bytes = new Uint8Array(HEADER_BYTES + dataBytes + (dataBytes % 2));
  const view = new DataView(bytes.buffer);
  const tag = (offset: number, text: string) => {
    for (let i = 0; i < 4; i++) view.setUint8(offset + i, text.charCodeAt(i));
  };
  tag(0, "RIFF");
  view.setUint32(4, bytes.length - 8, true);
  tag(8, "WAVE");
  tag(12, "fmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, encoding === "32-bit float" ? 3 : 1, true);
  view.setUint16(22, channelCount, true);
  view.setUint32(24, clip.sampleRateHz, true);
  view.setUint32(28, clip.sampleRateHz * channelCount * bytesPerSample, true);
  view.setUint16(32, channelCount * bytesPerSample, true);
  view.setUint16(34, bytesPerSample * 8, true);
  tag(36, "data");
  view.setUint32(40, dataBytes, true);

  const write = sampleWriter(view, encoding);
  clip.channels.forEach((channel, c) => {
    let offset = HEADER_BYTES + c * bytesPerSample;
    for (let i = 0; i < channel.length; i++, offset += channelCount * bytesPerSample) write(offset, channel[i]);
  });
  return bytes;
}

function sampleWriter(view: DataView, encoding: WavEncoding): (offset: number, value: number) => void {
  switch (encoding) {
    case "16-bit":
      return (o, v) => view.setInt16(o, roundInto(v, 32768), true);
    case "24-bit":
      return (o, v) => {
        const value = roundInto(v, 8388608);
        view.setUint16(o, value & 0xffff, true);
        view.setInt8(o + 2, value >> 16);
      };
    case "32-bit":
      return (o, v) => view.setInt32(o, roundInto(v, 2147483648), true);
    case "32-bit float":
      return (o, v) => view.setFloat32(o, v, true);
  }
}
