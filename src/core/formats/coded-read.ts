import { fail, type Outcome, succeed } from "../outcome";
import { type ByteSource, bytesInMemory } from "./byte-source";
import { decodePieces, type PieceDecoder, type RawAudio, TooLong } from "./decode-pieces";
import {
  CUT_SHORT,
  EXPORT_ADVICE,
  layoutProblem,
  type OpenedAudio,
  type SampleEncoding,
  tooLong,
} from "./decoded-audio";
import type { CopyForm, MakeCopy, PcmCopy } from "./pcm-copy";
import { mpegFrameAt, oggStreams } from "./stream-start";

type CodedKind = "FLAC" | "MP3" | "Vorbis" | "Opus";

/** Their code is fetched from the build when the first such file comes. */
const DECODERS: Record<CodedKind, () => Promise<PieceDecoder>> = {
  FLAC: async () => (await import("@audio/decode-flac")).decoder(),
  MP3: async () => (await import("@audio/decode-mp3")).decoder(),
  Vorbis: async () => (await import("@audio/decode-vorbis")).decoder(),
  Opus: async () => (await import("@audio/decode-opus")).decoder(),
};

type StreamInfo = { bits: number; channelCount: number; frames: number };

/** Word length and length out of a FLAC file's first metadata block (RFC 9639, 8.2); null when it is not there. */
function flacStreamInfo(source: ByteSource): StreamInfo | null {
  if (source.byteLength < 26) return null;
  const bytes = source.read(0, 26);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if ((view.getUint8(4) & 0x7f) !== 0) return null;
  const packed = view.getUint32(18);
  return {
    bits: ((packed >>> 4) & 0x1f) + 1,
    channelCount: ((packed >>> 9) & 7) + 1,
    frames: (packed & 0x0f) * 2 ** 32 + view.getUint32(22),
  };
}

/**
 * The decoder divides by 2^(bits − 1) − 1, one step short of full scale: the integers are won back and divided by
 * 2^(bits − 1), so that a FLAC nulls to silence with the WAV of the same audio. Exact to 24 bits.
 */
function exactIntegers(channels: readonly Float32Array[], bits: number): Float32Array[] {
  const full = 2 ** (bits - 1);
  return channels.map((channel) => channel.map((v) => Math.round(v * (full - 1)) / full));
}

/** Raise when a decoder package, or what is made of its samples, changes: kept copies are then made anew. */
export const DECODER_VERSION = 1;

/** The bytes of each stream of a file. */
function streamsOf(source: ByteSource, kind: CodedKind): ByteSource[] {
  if (kind !== "Vorbis" && kind !== "Opus") return [source];
  // Ogg is packed tightly enough to be held.
  return oggStreams(source.read(0, source.byteLength)).map(bytesInMemory);
}

/**
 * Decodes FLAC (bit for bit), MP3, Ogg Vorbis or Opus at the file's own rate into a copy of plain samples; Opus always runs at 48 kHz. The
 * silence that MP3 encoders add is cut where the file declares it. `source` begins at the stream itself. A change of rate or of the number of
 * channels on the way ends the sound there. A file that holds or unfolds into more than `mostSamples` is refused before it fills the disk.
 */
export async function openCoded(
  source: ByteSource,
  name: string,
  kind: CodedKind,
  makeCopy: MakeCopy,
  mostSamples: number,
): Promise<Outcome<OpenedAudio>> {
  const damaged = () => fail(`${name} is damaged: no ${kind} sound could be read from it.`, EXPORT_ADVICE);
  const info = kind === "FLAC" ? flacStreamInfo(source) : null;
  if (kind === "FLAC" && !info) return damaged();
  if (info && info.bits > 24) {
    return fail(`${name} is ${info.bits}-bit FLAC, which is not read exactly.`, EXPORT_ADVICE);
  }
  if (info && info.frames * info.channelCount > mostSamples) return tooLong(name, mostSamples);
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
        encoding: info ? "24-bit" : "32-bit float",
      };
      if (!refused) copy = makeCopy(form);
    }
    ended ||= form.sampleRateHz !== sampleRate || form.channelCount !== sided.length;
    if (!ended) copy?.add(info ? exactIntegers(sided, info.bits) : sided);
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
    return error instanceof TooLong ? tooLong(name, mostSamples) : damaged();
  }
  if (refused) return refused;
  const sound = (copy as PcmCopy | null)?.finish();
  if (!sound || sound.frames === 0) return damaged();
  const encoding: SampleEncoding = info ? `FLAC ${info.bits}-bit` : (kind as "MP3" | "Vorbis" | "Opus");
  return succeed({ sound, encoding, remarks: info && sound.frames < info.frames ? [CUT_SHORT] : [] });
}
