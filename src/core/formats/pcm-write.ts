import { type Clip, frameCount } from "../audio/clip";

export type WrittenEncoding = "16-bit" | "24-bit" | "32-bit" | "32-bit float";

const BITS: Record<WrittenEncoding, number> = { "16-bit": 16, "24-bit": 24, "32-bit": 32, "32-bit float": 32 };

/** Bytes of one sample. */
export const writtenBytes = (encoding: WrittenEncoding): number => BITS[encoding] / 8;

/**
 * Triangular dither of ±1 step, the difference of two uniform numbers, which makes the error's mean and power independent of
 * the signal (Lipshitz, Wannamaker and Vanderkooy, JAES 40/5, 1992). `random` gives numbers in [0, 1).
 */
export type Dither = { random: () => number };

/** Writes a clip's samples interleaved from `offset`. Integers round to nearest and clip at full scale. */
export function writeSamples(
  view: DataView,
  offset: number,
  clip: Clip,
  encoding: WrittenEncoding,
  littleEndian: boolean,
  dither: Dither | null,
): void {
  const bytes = writtenBytes(encoding);
  const write = sampleWriter(view, encoding, littleEndian);
  const full = 2 ** (BITS[encoding] - 1);
  const frames = frameCount(clip);
  let at = offset;
  for (let i = 0; i < frames; i++) {
    for (const channel of clip.channels) {
      if (encoding === "32-bit float") write(at, channel[i]);
      else {
        const shake = dither ? dither.random() - dither.random() : 0;
        write(at, Math.max(-full, Math.min(full - 1, Math.round(channel[i] * full + shake))));
      }
      at += bytes;
    }
  }
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
