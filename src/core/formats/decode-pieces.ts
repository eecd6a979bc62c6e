/** What the decoder packages hand back for a piece of a file. */
export type RawAudio = { channelData: readonly Float32Array[]; sampleRate: number };
export type PieceDecoder = { decode(piece: Uint8Array): RawAudio; flush?(): RawAudio; free(): void };

/** Thrown when a file unfolds into more than was allowed. */
export class TooLong extends Error {}

/** The first pieces are small, so that a file that unfolds without measure is caught before it has filled the memory. */
const FIRST_PIECE_BYTES = 4096;
const LARGEST_PIECE_BYTES = 32_768;
/** Samples a byte, all channels, above which pieces do not grow: no music is packed so tightly. */
const TIGHTLY_PACKED = 64;

/**
 * Decodes a whole stream piece by piece. Throws TooLong as soon as more than `mostSamples` (frames times channels) have come out; the
 * decoder's own errors go through. A change of rate or of the number of channels on the way ends the stream there.
 */
export function decodePieces(decoder: PieceDecoder, bytes: Uint8Array, mostSamples: number): RawAudio {
  const parts: RawAudio[] = [];
  let samples = 0;
  const take = (part: RawAudio) => {
    const frames = part.channelData[0]?.length ?? 0;
    if (frames === 0) return;
    samples += frames * part.channelData.length;
    if (samples > mostSamples) throw new TooLong();
    // The decoder uses its memory again.
    parts.push({ sampleRate: part.sampleRate, channelData: part.channelData.map((c) => c.slice()) });
  };
  let size = FIRST_PIECE_BYTES;
  for (let at = 0; at < bytes.length; ) {
    const piece = bytes.subarray(at, at + size);
    take(decoder.decode(piece));
    at += piece.length;
    if (samples < TIGHTLY_PACKED * at) size = Math.min(LARGEST_PIECE_BYTES, 2 * size);
  }
  if (decoder.flush) take(decoder.flush());
  return joined(parts);
}

/** Parts one behind the other, up to the first that is of another form. */
export function joined(parts: readonly RawAudio[]): RawAudio {
  const [first] = parts;
  if (!first) return { channelData: [], sampleRate: 0 };
  const other = parts.findIndex(
    (p) => p.sampleRate !== first.sampleRate || p.channelData.length !== first.channelData.length,
  );
  const taken = other < 0 ? parts : parts.slice(0, other);
  if (taken.length === 1) return first;
  const frames = taken.reduce((sum, p) => sum + p.channelData[0].length, 0);
  const channelData = first.channelData.map((_, c) => {
    const channel = new Float32Array(frames);
    let at = 0;
    for (const part of taken) {
      channel.set(part.channelData[c], at);
      at += part.channelData[c].length;
    }
    return channel;
  });
  return { channelData, sampleRate: first.sampleRate };
}
