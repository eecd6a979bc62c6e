import type { Clip } from "../audio/clip";
import { type Sound, soundOf } from "../audio/sound";
import {
  type Dither,
  fileParts,
  joinedParts,
  setTag,
  soundBytes,
  type WrittenEncoding,
  writtenBytes,
} from "./pcm-write";

const HEADER_BYTES = 44;

/**
 * A RIFF WAVE file of the sound, part by part. Integers are value · 2^(bits − 1), rounded to nearest and clipped; without dither a sound
 * read from integers of the same size is written back bit for bit.
 */
export function wavParts(
  sound: Sound,
  encoding: WrittenEncoding,
  dither: Dither | null = null,
): Generator<Uint8Array<ArrayBuffer>> {
  return fileParts(wavHead(sound, encoding), sound, encoding, true, dither);
}

/** What stands before the samples of a WAV file. */
export function wavHead(
  sound: Pick<Sound, "frames" | "channelCount" | "sampleRateHz">,
  encoding: WrittenEncoding,
): Uint8Array<ArrayBuffer> {
  const bytesPerSample = writtenBytes(encoding);
  const { channelCount, sampleRateHz } = sound;
  const dataBytes = soundBytes(sound, encoding);
  const head = new Uint8Array(HEADER_BYTES);
  const view = new DataView(head.buffer);
  setTag(view, 0, "RIFF");
  view.setUint32(4, HEADER_BYTES - 8 + dataBytes + (dataBytes % 2), true);
  setTag(view, 8, "WAVE");
  setTag(view, 12, "fmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, encoding === "32-bit float" ? 3 : 1, true);
  view.setUint16(22, channelCount, true);
  view.setUint32(24, sampleRateHz, true);
  view.setUint32(28, sampleRateHz * channelCount * bytesPerSample, true);
  view.setUint16(32, channelCount * bytesPerSample, true);
  view.setUint16(34, bytesPerSample * 8, true);
  setTag(view, 36, "data");
  view.setUint32(40, dataBytes, true);
  return head;
}

/** The same in one piece: for short files. */
export const writeWav = (
  clip: Sound | Clip,
  encoding: WrittenEncoding,
  dither: Dither | null = null,
): Uint8Array<ArrayBuffer> => joinedParts(wavParts(soundOf(clip), encoding, dither));
