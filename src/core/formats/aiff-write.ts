import type { Clip } from "../audio/clip";
import { log2 } from "../audio/exact-math";
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

/** The rate as an 80-bit extended float: a whole number, shifted until its highest bit is set. */
function setExtended(view: DataView, offset: number, value: number): void {
  const exponent = Math.floor(log2(value));
  view.setUint16(offset, 16383 + exponent);
  view.setBigUint64(offset + 2, BigInt(value) << BigInt(63 - exponent));
}

/** Length of the version chunk that AIFF-C wants, and the time stamp of the only version there is. */
const VERSION_CHUNK_BYTES = 12;
const AIFC_VERSION = 0xa2805140;

/**
 * An AIFF file of the sound, part by part, big-endian; 32-bit float is written as AIFF-C "fl32". Integers as `wavParts` has them.
 */
export function aiffParts(
  sound: Sound,
  encoding: WrittenEncoding,
  dither: Dither | null = null,
): Generator<Uint8Array<ArrayBuffer>> {
  return fileParts(aiffHead(sound, encoding), sound, encoding, false, dither);
}

/** The same in one piece: for short files. */
export const writeAiff = (
  clip: Sound | Clip,
  encoding: WrittenEncoding,
  dither: Dither | null = null,
): Uint8Array<ArrayBuffer> => joinedParts(aiffParts(soundOf(clip), encoding, dither));

function aiffHead(sound: Sound, encoding: WrittenEncoding): Uint8Array<ArrayBuffer> {
  const float = encoding === "32-bit float";
  const { channelCount, frames, sampleRateHz } = sound;
  const dataBytes = soundBytes(sound, encoding);
  // The compression name is a counted string, here an empty one, padded to an even length.
  const commonBytes = float ? 18 + 4 + 2 : 18;
  const soundStart = 12 + (float ? VERSION_CHUNK_BYTES : 0) + 8 + commonBytes;
  const head = new Uint8Array(soundStart + 16);
  const view = new DataView(head.buffer);
  setTag(view, 0, "FORM");
  view.setUint32(4, head.length - 8 + dataBytes + (dataBytes % 2));
  setTag(view, 8, float ? "AIFC" : "AIFF");
  let at = 12;
  if (float) {
    setTag(view, at, "FVER");
    view.setUint32(at + 4, 4);
    view.setUint32(at + 8, AIFC_VERSION);
    at += VERSION_CHUNK_BYTES;
  }
  setTag(view, at, "COMM");
  view.setUint32(at + 4, commonBytes);
  view.setUint16(at + 8, channelCount);
  view.setUint32(at + 10, frames);
  view.setUint16(at + 14, writtenBytes(encoding) * 8);
  setExtended(view, at + 16, sampleRateHz);
  if (float) setTag(view, at + 26, "fl32");
  setTag(view, soundStart, "SSND");
  view.setUint32(soundStart + 4, dataBytes + 8);
  return head;
}
