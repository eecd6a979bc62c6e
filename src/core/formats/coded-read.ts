import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS } from "../words/files";
import { type ByteSource, bytesInMemory } from "./byte-source";
import { decodePieces, type PieceDecoder, type RawAudio, TooLong } from "./decode-pieces";
import { layoutProblem, type OpenedAudio } from "./decoded-audio";
import type { CopyForm, MakeCopy, PcmCopy } from "./pcm-copy";
import { mpegFrameAt, oggStreams } from "./stream-start";

type CodedKind = "MP3" | "Vorbis" | "Opus";

/** Their code is fetched from the build when the first such file comes. */
const DECODERS: Record<CodedKind, () => Promise<PieceDecoder>> = {
  MP3: async () => (await import("@audio/decode-mp3")).decoder(),
  Vorbis: async () => (await import("@audio/decode-vorbis")).decoder(),
  Opus: async () => (await import("@audio/decode-opus")).decoder(),
};

/** Raise when a decoder package, or what is made of its samples, changes: kept copies are then made anew. */
export const DECODER_VERSION = 2;

/** The bytes of each stream of a file. */
function streamsOf(source: ByteSource, kind: CodedKind): ByteSource[] {
  if (kind === "MP3") return [source];
  // Ogg is packed tightly enough to be held.
  return oggStreams(source.read(0, source.byteLength)).map(bytesInMemory);
}

/**
 * Decodes MP3, Ogg Vorbis or Opus at the file's own rate into a copy of plain samples; Opus always runs at 48 kHz. The
 * silence that MP3 encoders add is cut where the file declares it. `source` begins at the stream itself. A change of rate or of the number of
 * channels on the way ends the sound there. A file that holds or decodes to more than `mostSamples` is refused before it fills the disk.
 */
export async function openCoded(
  source: ByteSource,
  name: string,
  kind: CodedKind,
  makeCopy: MakeCopy,
  mostSamples: number,
): Promise<Outcome<OpenedAudio>> {
  const damaged = () => FILE_PROBLEMS.undecodable(name, kind);
  const isMono = kind === "MP3" && mpegFrameAt(source.read(0, Math.min(4, source.byteLength)), 0)?.isMono;
  let copy: PcmCopy | null = null;
  let form: CopyForm | null = null;
  let refused: Outcome<never> | null = null;
  let ended = false;
  const take = ({ channelData, sampleRate }: RawAudio) => {
    const sided = isMono ? channelData.slice(0, 1) : channelData;
    if (!form) {
      refused = layoutProblem(name, sided.length, sampleRate);
      form = {
        channelCount: sided.length,
        sampleRateHz: sampleRate,
        encoding: "32-bit float",
      };
      if (!refused) copy = makeCopy(form);
    }
    ended ||= form.sampleRateHz !== sampleRate || form.channelCount !== sided.length;
    if (!ended) copy?.add(sided);
  };
  try {
    let left = mostSamples;
    for (const stream of streamsOf(source, kind)) {
      const decoder = await DECODERS[kind]();
      try {
        left -= decodePieces(decoder, stream, left, take);
      } finally {
        decoder.free();
      }
    }
  } catch (error) {
    return error instanceof TooLong ? FILE_PROBLEMS.tooLong(name, mostSamples) : damaged();
  }
  if (refused) return refused;
  const sound = (copy as PcmCopy | null)?.finish();
  if (!sound || sound.frames === 0) return damaged();
  return succeed({ sound, encoding: kind, remarks: [] });
}
