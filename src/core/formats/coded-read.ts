import { fail, type Outcome, succeed } from "../outcome";
import { decodePieces, joined, type PieceDecoder, type RawAudio, TooLong } from "./decode-pieces";
import {
  CUT_SHORT,
  type DecodedAudio,
  EXPORT_ADVICE,
  finiteProblem,
  layoutProblem,
  type SampleEncoding,
  tooLong,
} from "./decoded-audio";
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
function flacStreamInfo(bytes: Uint8Array): StreamInfo | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.byteLength < 26 || (view.getUint8(4) & 0x7f) !== 0) return null;
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

/** One stream of a file, or all that follow one another in it. */
async function decoded(bytes: Uint8Array, kind: CodedKind, mostSamples: number): Promise<RawAudio> {
  const streams = kind === "Vorbis" || kind === "Opus" ? oggStreams(bytes) : [bytes];
  const parts: RawAudio[] = [];
  let left = mostSamples;
  for (const stream of streams) {
    const decoder = await DECODERS[kind]();
    try {
      const part = decodePieces(decoder, stream, left);
      left -= (part.channelData[0]?.length ?? 0) * part.channelData.length;
      if (part.channelData.length > 0) parts.push(part);
    } finally {
      decoder.free();
    }
  }
  return joined(parts);
}

const totalFrames = (parts: RawAudio): number => parts.channelData[0]?.length ?? 0;

/**
 * Decodes FLAC (bit for bit), MP3, Ogg Vorbis or Opus at the file's own rate; Opus always runs at 48 kHz. The silence that
 * MP3 encoders add is cut where the file declares it. `bytes` begin at the stream itself. A file that holds or unfolds into more than
 * `mostSamples` is refused before it fills the memory.
 */
export async function readCoded(
  bytes: Uint8Array,
  name: string,
  kind: CodedKind,
  mostSamples: number,
): Promise<Outcome<DecodedAudio>> {
  const damaged = () => fail(`${name} is damaged: no ${kind} sound could be read from it.`, EXPORT_ADVICE);
  const info = kind === "FLAC" ? flacStreamInfo(bytes) : null;
  if (kind === "FLAC" && !info) return damaged();
  if (info && info.bits > 24) {
    return fail(`${name} is ${info.bits}-bit FLAC, which is not read exactly.`, EXPORT_ADVICE);
  }
  if (info && info.frames * info.channelCount > mostSamples) return tooLong(name, mostSamples);
  let raw: RawAudio;
  try {
    raw = await decoded(bytes, kind, mostSamples);
  } catch (error) {
    return error instanceof TooLong ? tooLong(name, mostSamples) : damaged();
  }
  const frames = totalFrames(raw);
  if (frames === 0) return damaged();
  const problem = layoutProblem(name, raw.channelData.length, raw.sampleRate);
  if (problem) return problem;
  const sided = kind === "MP3" && mpegFrameAt(bytes, 0)?.isMono ? raw.channelData.slice(0, 1) : raw.channelData;
  const channels = info ? exactIntegers(sided, info.bits) : sided;
  const encoding: SampleEncoding = info ? `FLAC ${info.bits}-bit` : (kind as "MP3" | "Vorbis" | "Opus");
  const remarks = info && frames < info.frames ? [CUT_SHORT] : [];
  const broken = finiteProblem(name, channels, raw.sampleRate);
  return broken ?? succeed({ clip: { channels, sampleRateHz: raw.sampleRate }, encoding, remarks });
}
