import { fail, type Outcome, succeed } from "../outcome";
import {
  CUT_SHORT,
  type DecodedAudio,
  EXPORT_ADVICE,
  finiteProblem,
  layoutProblem,
  type SampleEncoding,
} from "./decoded-audio";

/** What the decoder packages hand back. Their code is fetched from the build when the first such file comes. */
type RawAudio = { channelData: readonly Float32Array[]; sampleRate: number };
type CodedKind = "FLAC" | "MP3" | "Vorbis" | "Opus";

const DECODERS: Record<CodedKind, () => Promise<(bytes: Uint8Array) => Promise<RawAudio>>> = {
  FLAC: async () => (await import("@audio/decode-flac")).default,
  MP3: async () => (await import("@audio/decode-mp3")).default,
  Vorbis: async () => (await import("@audio/decode-vorbis")).default,
  Opus: async () => (await import("@audio/decode-opus")).default,
};

type StreamInfo = { bits: number; frames: number };

/** Word length and length out of a FLAC file's first metadata block (RFC 9639, 8.2); null when it is not there. */
function flacStreamInfo(bytes: Uint8Array): StreamInfo | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.byteLength < 26 || (view.getUint8(4) & 0x7f) !== 0) return null;
  const packed = view.getUint32(18);
  return { bits: ((packed >>> 4) & 0x1f) + 1, frames: (packed & 0x0f) * 2 ** 32 + view.getUint32(22) };
}

/**
 * The decoder divides by 2^(bits − 1) − 1, one step short of full scale: the integers are won back and divided by
 * 2^(bits − 1), so that a FLAC nulls to silence with the WAV of the same audio. Exact to 24 bits.
 */
function exactIntegers(channels: readonly Float32Array[], bits: number): Float32Array[] {
  const full = 2 ** (bits - 1);
  return channels.map((channel) => channel.map((v) => Math.round(v * (full - 1)) / full));
}

/** Whether an MPEG audio file's first frame is single-channel: the decoder always hands two over. */
function isMonoMpeg(bytes: Uint8Array): boolean {
  for (let i = startOfMpeg(bytes); i + 4 <= bytes.length; i++) {
    if (bytes[i] === 0xff && (bytes[i + 1] & 0xe0) === 0xe0) return bytes[i + 3] >>> 6 === 3;
  }
  return false;
}

/** Past the ID3v2 tag, whose length is four bytes of seven bits (ID3v2.4, 3.1). */
function startOfMpeg(bytes: Uint8Array): number {
  const tagged = bytes.length > 10 && bytes[0] === 0x49 && bytes[1] === 0x44 && bytes[2] === 0x33;
  return tagged ? 10 + ((bytes[6] << 21) | (bytes[7] << 14) | (bytes[8] << 7) | bytes[9]) : 0;
}

/**
 * Decodes FLAC (bit for bit), MP3, Ogg Vorbis or Opus at the file's own rate; Opus always runs at 48 kHz. The silence that
 * MP3 encoders add is cut where the file declares it.
 */
export async function readCoded(bytes: Uint8Array, name: string, kind: CodedKind): Promise<Outcome<DecodedAudio>> {
  const damaged = () => fail(`${name} is damaged: no ${kind} sound could be read from it.`, EXPORT_ADVICE);
  const info = kind === "FLAC" ? flacStreamInfo(bytes) : null;
  if (kind === "FLAC" && !info) return damaged();
  if (info && info.bits > 24) {
    return fail(`${name} is ${info.bits}-bit FLAC, which is not read exactly.`, EXPORT_ADVICE);
  }
  let raw: RawAudio;
  try {
    raw = await (await DECODERS[kind]())(bytes);
  } catch {
    return damaged();
  }
  const frames = raw.channelData[0]?.length ?? 0;
  if (frames === 0) return damaged();
  const problem = layoutProblem(name, raw.channelData.length, raw.sampleRate);
  if (problem) return problem;
  const sided = kind === "MP3" && isMonoMpeg(bytes) ? raw.channelData.slice(0, 1) : raw.channelData;
  const channels = info ? exactIntegers(sided, info.bits) : sided;
  const encoding: SampleEncoding = info ? `FLAC ${info.bits}-bit` : (kind as "MP3" | "Vorbis" | "Opus");
  const remarks = info && frames < info.frames ? [CUT_SHORT] : [];
  const broken = finiteProblem(name, channels);
  return broken ?? succeed({ clip: { channels, sampleRateHz: raw.sampleRate }, encoding, remarks });
}
