import type { ByteSource } from "./byte-source";

/** What the decoder packages hand back for a piece of a file. */
export type RawAudio = { channelData: readonly Float32Array[]; sampleRate: number };
export type PieceDecoder = { decode(piece: Uint8Array): RawAudio; flush?(): RawAudio; free(): void };

/** Thrown when a file decodes to more than was allowed. */
export class TooLong extends Error {}

/** The first pieces are small, so that a file that decodes without end is caught before it has filled the memory. */
const FIRST_PIECE_BYTES = 4096;
const LARGEST_PIECE_BYTES = 32_768;
/** Samples a byte, all channels, above which pieces do not grow: no music is packed so tightly. */
const TIGHTLY_PACKED = 64;

/**
 * Decodes a whole stream piece by piece and hands each part on; the decoder uses a part's memory again for the next. Throws TooLong as soon as
 * more than `mostSamples` (frames times channels) have come out; the decoder's own errors go through.
 */
export function decodePieces(
  decoder: PieceDecoder,
  source: ByteSource,
  mostSamples: number,
  take: (part: RawAudio) => void,
): number {
  let samples = 0;
  const hand = (part: RawAudio) => {
    const frames = part.channelData[0]?.length ?? 0;
    if (frames === 0) return;
    samples += frames * part.channelData.length;
    if (samples > mostSamples) throw new TooLong();
    take(part);
  };
  let size = FIRST_PIECE_BYTES;
  for (let at = 0; at < source.byteLength; ) {
    const piece = source.read(at, Math.min(source.byteLength, at + size));
    hand(decoder.decode(piece));
    at += piece.length;
    if (samples < TIGHTLY_PACKED * at) size = Math.min(LARGEST_PIECE_BYTES, 2 * size);
  }
  if (decoder.flush) hand(decoder.flush());
  return samples;
}
