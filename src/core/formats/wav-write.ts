import { type Clip, frameCount } from "../audio/clip";
import { type Dither, setTag, type WrittenEncoding, writeSamples, writtenBytes } from "./pcm-write";

const HEADER_BYTES = 44;

/**
 * A RIFF WAVE file of the clip. Integers are value · 2^(bits − 1), rounded to nearest and clipped; without dither a clip
 * read from integers of the same size is written back bit for bit.
 */
export function writeWav(clip: Clip, encoding: WrittenEncoding, dither: Dither | null = null): Uint8Array<ArrayBuffer> {
  const bytesPerSample = writtenBytes(encoding);
  const channelCount = clip.channels.length;
  const dataBytes = frameCount(clip) * channelCount * bytesPerSample;
  const bytes = new Uint8Array(HEADER_BYTES + dataBytes + (dataBytes % 2));
  const view = new DataView(bytes.buffer);
  setTag(view, 0, "RIFF");
  view.setUint32(4, bytes.length - 8, true);
  setTag(view, 8, "WAVE");
  setTag(view, 12, "fmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, encoding === "32-bit float" ? 3 : 1, true);
  view.setUint16(22, channelCount, true);
  view.setUint32(24, clip.sampleRateHz, true);
  view.setUint32(28, clip.sampleRateHz * channelCount * bytesPerSample, true);
  view.setUint16(32, channelCount * bytesPerSample, true);
  view.setUint16(34, bytesPerSample * 8, true);
  setTag(view, 36, "data");
  view.setUint32(40, dataBytes, true);
  writeSamples(view, HEADER_BYTES, clip, encoding, true, dither);
  return bytes;
}
