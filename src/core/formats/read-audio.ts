import { fail, type Outcome } from "../outcome";
import { readAiff } from "./aiff-read";
import { readCoded } from "./coded-read";
import { type DecodedAudio, EXPORT_ADVICE, MOST_SAMPLES, tagAt } from "./decoded-audio";
import { mpegStart, pastTags } from "./stream-start";
import { readWav } from "./wav-read";

type Kind = "WAV" | "AIFF" | "FLAC" | "MP3" | "Vorbis" | "Opus" | "other Ogg" | "MP4" | "unknown";

/** Bytes of an Ogg page's head before its segment table. */
const OGG_PAGE_HEAD = 27;

/** What the first bytes say a file is, once tags are stepped over; its name is not asked. */
function kindOf(bytes: Uint8Array): Kind {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.byteLength < 12) return "unknown";
  const tag = tagAt(view, 0);
  if (["RIFF", "RF64", "BW64"].includes(tag)) return tagAt(view, 8) === "WAVE" ? "WAV" : "unknown";
  if (tag === "FORM") return ["AIFF", "AIFC"].includes(tagAt(view, 8)) ? "AIFF" : "unknown";
  if (tag === "fLaC") return "FLAC";
  if (tag === "OggS") {
    const packet = view.byteLength > OGG_PAGE_HEAD ? OGG_PAGE_HEAD + view.getUint8(OGG_PAGE_HEAD - 1) : 0;
    if (view.byteLength < packet + 8) return "other Ogg";
    if (tagAt(view, packet) === "Opus") return "Opus";
    return tagAt(view, packet + 1) === "vorb" ? "Vorbis" : "other Ogg";
  }
  if (tagAt(view, 4) === "ftyp") return "MP4";
  if (mpegStart(bytes) >= 0) return "MP3";
  // Twelve set bits with layer 0 begin raw AAC, which has a second such head behind the first.
  return isAdts(bytes) ? "MP4" : "unknown";
}

/** Whether raw AAC frames begin here (ISO/IEC 13818-7, 6.2: 13 bits of length from the fourth byte on). */
function isAdts(bytes: Uint8Array): boolean {
  const headAt = (at: number) => bytes[at] === 0xff && (bytes[at + 1] & 0xf6) === 0xf0;
  if (!headAt(0) || bytes.length < 7) return false;
  const length = ((bytes[3] & 3) << 11) | (bytes[4] << 3) | (bytes[5] >> 5);
  return length >= 7 && (length === bytes.length || headAt(length));
}

/**
 * Reads any sound file the product knows, told apart by content: WAV (RF64 too), AIFF, AIFF-C, FLAC, MP3, Ogg Vorbis, Opus.
 * Lossless ones are bit-exact, all come at their own rate. A file that cannot be read gives a sentence with its `name`
 * and the way out; so does one that holds more than `mostSamples` (frames times channels). Tags that a tagger has put before any of them
 * are stepped over.
 */
export async function readAudio(
  file: Uint8Array,
  name: string,
  mostSamples = MOST_SAMPLES,
): Promise<Outcome<DecodedAudio>> {
  if (file.byteLength === 0) return fail(`${name} is empty.`, "Render it again and add the new file.");
  const bytes = file.subarray(pastTags(file));
  const kind = kindOf(bytes);
  switch (kind) {
    case "WAV":
      return readWav(bytes, name, mostSamples);
    case "AIFF":
      return readAiff(bytes, name, mostSamples);
    case "MP3":
      return readCoded(bytes.subarray(mpegStart(bytes)), name, kind, mostSamples);
    case "FLAC":
    case "Vorbis":
    case "Opus":
      return readCoded(bytes, name, kind, mostSamples);
    case "MP4":
      return fail(
        `${name} is AAC or ALAC in MP4, which is not read: its encoder delay could not be told for certain.`,
        "Convert it to WAV or FLAC with the tool that made it, and add that.",
      );
    case "other Ogg":
      return fail(`${name} is an Ogg file that holds neither Vorbis nor Opus.`, EXPORT_ADVICE);
    case "unknown":
      // A tag of the kind that MP3s have, and no frame behind it.
      if (bytes.length < file.length)
        return fail(`${name} is damaged: no MP3 sound could be read from it.`, EXPORT_ADVICE);
      return fail(`${name} is not a sound file that can be read here.`, EXPORT_ADVICE);
  }
}
