import type { Outcome } from "../outcome";
import { FILE_PROBLEMS } from "../words/files";
import { openAiff } from "./aiff-read";
import { type ByteSource, bytesInMemory, SourceView, sourceFrom } from "./byte-source";
import { cafFormat, openCaf } from "./caf-read";
import { openCoded } from "./coded-read";
import { type DecodedAudio, MOST_SAMPLES, type OpenedAudio, tagAt, wholeOf } from "./decoded-audio";
import { copyInMemory, type MakeCopy } from "./pcm-copy";
import { mpegStart, pastTags } from "./stream-start";
import { openWav } from "./wav-read";

type Kind =
  | "WAV"
  | "AIFF"
  | "CAF"
  | "FLAC"
  | "WavPack"
  | "MP3"
  | "Vorbis"
  | "Opus"
  | "other Ogg"
  | "MP4"
  | "AAC"
  | "unknown";

/** Bytes of an Ogg page's head before its segment table. */
const OGG_PAGE_HEAD = 27;

/** What the first bytes say a file is, once tags are stepped over; its name is not asked. */
function kindOf(source: ByteSource): Kind {
  const view = new SourceView(source);
  if (view.byteLength < 12) return "unknown";
  const tag = tagAt(view, 0);
  if (["RIFF", "RF64", "BW64"].includes(tag)) return tagAt(view, 8) === "WAVE" ? "WAV" : "unknown";
  if (tag === "FORM") return ["AIFF", "AIFC"].includes(tagAt(view, 8)) ? "AIFF" : "unknown";
  if (tag === "fLaC") return "FLAC";
  if (tag === "wvpk") return "WavPack";
  if (tag === "caff") return "CAF";
  if (tag === "OggS") {
    const packet = view.byteLength > OGG_PAGE_HEAD ? OGG_PAGE_HEAD + view.getUint8(OGG_PAGE_HEAD - 1) : 0;
    if (view.byteLength < packet + 8) return "other Ogg";
    if (tagAt(view, packet) === "Opus") return "Opus";
    return tagAt(view, packet + 1) === "vorb" ? "Vorbis" : "other Ogg";
  }
  if (tagAt(view, 4) === "ftyp") return "MP4";
  if (mpegStart(source) >= 0) return "MP3";
  // Twelve set bits with layer 0 begin raw AAC, which has a second such head behind the first.
  return isAdts(source) ? "AAC" : "unknown";
}

/** 13 bits of length. */
const LONGEST_ADTS_BYTES = 8191;

/** Whether raw AAC frames begin here (ISO/IEC 13818-7, 6.2: 13 bits of length from the fourth byte on). */
function isAdts(source: ByteSource): boolean {
  const bytes = source.read(0, Math.min(source.byteLength, LONGEST_ADTS_BYTES + 2));
  const headAt = (at: number) => bytes[at] === 0xff && (bytes[at + 1] & 0xf6) === 0xf0;
  if (!headAt(0) || bytes.length < 7) return false;
  const length = ((bytes[3] & 3) << 11) | (bytes[4] << 3) | (bytes[5] >> 5);
  return length >= 7 && (length === bytes.length || headAt(length));
}

/** Opens a file of plain samples, which is read in place. */
export function openPlain(file: ByteSource, name: string, mostSamples = MOST_SAMPLES): Outcome<OpenedAudio> {
  const source = sourceFrom(file, pastTags(file));
  const kind = kindOf(source);
  const open = kind === "AIFF" ? openAiff : kind === "CAF" ? openCaf : openWav;
  return open(source, name, mostSamples);
}

/**
 * Opens any sound file the product knows, recognised by content: WAV (RF64 too), AIFF, AIFF-C, CAF, FLAC, WavPack, MP3, Ogg Vorbis, Opus, AAC in MP4.
 * Lossless ones are bit-exact, all come at their own rate. Plain samples are read in place; coded ones are decoded into a copy. A file that
 * cannot be read gives a sentence with its `name` and the way out; so does one that holds more than `mostSamples` (frames times channels).
 * Tags that a tagger has put before any of them are stepped over. Samples are not looked at: `soundProblem` does.
 */
export async function openAudio(
  file: ByteSource,
  name: string,
  makeCopy: MakeCopy = copyInMemory,
  mostSamples = MOST_SAMPLES,
): Promise<Outcome<OpenedAudio>> {
  if (file.byteLength === 0) return FILE_PROBLEMS.empty(name);
  const source = sourceFrom(file, pastTags(file));
  const kind = kindOf(source);
  switch (kind) {
    case "WAV":
      return openWav(source, name, mostSamples);
    case "AIFF":
      return openAiff(source, name, mostSamples);
    case "MP3":
      return openCoded(sourceFrom(source, mpegStart(source)), name, kind, makeCopy, mostSamples);
    case "FLAC":
      // Its decoder is fetched from the build when the first such file comes.
      return (await import("./flac-read")).openFlac(source, name, makeCopy, mostSamples);
    case "WavPack":
      return (await import("./wavpack-read")).openWavpack(source, name, makeCopy, mostSamples);
    case "CAF":
      if (cafFormat(source) === "lpcm") return openCaf(source, name, mostSamples);
      return (await import("./mp4-read")).openMp4(source, name, makeCopy, mostSamples);
    case "Vorbis":
    case "Opus":
      return openCoded(source, name, kind, makeCopy, mostSamples);
    case "MP4":
    case "AAC":
      return (await import("./mp4-read")).openMp4(source, name, makeCopy, mostSamples);
    case "other Ogg":
      return FILE_PROBLEMS.otherOgg(name);
    case "unknown":
      // A tag of the kind that MP3s have, and no frame behind it.
      if (source.byteLength < file.byteLength) return FILE_PROBLEMS.undecodable(name, "MP3");
      return FILE_PROBLEMS.unknown(name);
  }
}

/** The same for bytes in memory, with all of their sound at once: for short files. */
export const readAudio = async (
  bytes: Uint8Array,
  name: string,
  mostSamples = MOST_SAMPLES,
): Promise<Outcome<DecodedAudio>> =>
  wholeOf(name, await openAudio(bytesInMemory(bytes), name, copyInMemory, mostSamples));
