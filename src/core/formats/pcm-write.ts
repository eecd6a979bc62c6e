import { piecesOf, type Sound } from "../audio/sound";

export type WrittenEncoding = "16-bit" | "24-bit" | "32-bit" | "32-bit float";

const BITS: Record<WrittenEncoding, number> = { "16-bit": 16, "24-bit": 24, "32-bit": 32, "32-bit float": 32 };

/** Bytes of one sample. */
export const writtenBytes = (encoding: WrittenEncoding): number => BITS[encoding] / 8;

/**
 * Triangular dither of ±1 step, the difference of two uniform numbers, which makes the error's mean and power independent of
 * the signal (Lipshitz, Wannamaker and Vanderkooy, JAES 40/5, 1992). `random` gives numbers in [0, 1).
 */
export type Dither = { random: () => number };

/** The samples of a piece of sound, interleaved. Integers round to nearest and clip at full scale. */
export function encodedSamples(
  channels: readonly Float32Array[],
  encoding: WrittenEncoding,
  littleEndian: boolean,
  dither: Dither | null,
): Uint8Array<ArrayBuffer> {
  const bytes = writtenBytes(encoding);
  const frames = channels[0].length;
  const output = new Uint8Array(frames * channels.length * bytes);
  const write = sampleWriter(new DataView(output.buffer), encoding, littleEndian);
  const full = 2 ** (BITS[encoding] - 1);
  let at = 0;
  for (let i = 0; i < frames; i++) {
    for (const channel of channels) {
      if (encoding === "32-bit float") write(at, channel[i]);
      else {
        const shake = dither ? dither.random() - dither.random() : 0;
        write(at, Math.max(-full, Math.min(full - 1, Math.round(channel[i] * full + shake))));
      }
      at += bytes;
    }
  }
  return output;
}

/** A file in parts, none of them long: its head, its samples interleaved, and the byte that makes their number even. */
export function* fileParts(
  head: Uint8Array<ArrayBuffer>,
  sound: Sound,
  encoding: WrittenEncoding,
  littleEndian: boolean,
  dither: Dither | null,
): Generator<Uint8Array<ArrayBuffer>> {
  yield head;
  for (const { channels } of piecesOf(sound)) yield encodedSamples(channels, encoding, littleEndian, dither);
  if (soundBytes(sound, encoding) % 2) yield new Uint8Array(1);
}

/** Bytes of all samples of a sound. */
export const soundBytes = (
  { frames, channelCount }: Pick<Sound, "frames" | "channelCount">,
  encoding: WrittenEncoding,
): number => frames * channelCount * writtenBytes(encoding);

/** All parts of a file in one piece: for short files. */
export function joinedParts(parts: Iterable<Uint8Array<ArrayBuffer>>): Uint8Array<ArrayBuffer> {
  const all = [...parts];
  const bytes = new Uint8Array(all.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of all) {
    bytes.set(part, at);
    at += part.length;
  }
  return bytes;
}

function sampleWriter(view: DataView, encoding: WrittenEncoding, le: boolean): (offset: number, value: number) => void {
  switch (encoding) {
    case "16-bit":
      return (o, v) => view.setInt16(o, v, le);
    case "24-bit":
      return (o, v) => {
        view.setUint8(o + (le ? 0 : 2), v & 0xff);
        view.setUint8(o + 1, (v >> 8) & 0xff);
        view.setInt8(o + (le ? 2 : 0), v >> 16);
      };
    case "32-bit":
      return (o, v) => view.setInt32(o, v, le);
    case "32-bit float":
      return (o, v) => view.setFloat32(o, v, le);
  }
}

/** Sets four characters at a byte offset. */
export function setTag(view: DataView, offset: number, text: string): void {
  for (let i = 0; i < 4; i++) view.setUint8(offset + i, text.charCodeAt(i));
}
