import { fail, type Outcome } from "../outcome";
import { readAiff } from "./aiff-read";
import { readCoded } from "./coded-read";
import { type DecodedAudio, EXPORT_ADVICE, tagAt } from "./decoded-audio";
import { readWav } from "./wav-read";

type Kind = "WAV" | "AIFF" | "FLAC" | "MP3" | "Vorbis" | "Opus" | "other Ogg" | "MP4" | "unknown";

/** Bytes of an Ogg page's head before its segment table. */
const OGG_PAGE_HEAD = 27;

/** What the first bytes say a file is; its name is not asked. */
function kindOf(view: DataView): Kind {
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
  if (tag.startsWith("ID3")) return "MP3";
  const head = view.getUint16(0);
  // Eleven set bits begin an MPEG frame; layer 0 there is not MPEG audio but the start of raw AAC.
  if ((head & 0xffe0) === 0xffe0) return (head & 0x0006) === 0 ? "MP4" : "MP3";
  return "unknown";
}

/**
 * Reads any sound file the product knows, told apart by content: WAV (RF64 too), AIFF, AIFF-C, FLAC, MP3, Ogg Vorbis, Opus.
 * Lossless ones are bit-exact, all come at their own rate. A file that cannot be read gives a sentence with its `name`
 * and the way out.
 */
export async function readAudio(bytes: Uint8Array, name: string): Promise<Outcome<DecodedAudio>> {
  if (bytes.byteLength === 0) return fail(`${name} is empty.`, "Render it again and add the new file.");
  const kind = kindOf(new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength));
  switch (kind) {
    case "WAV":
      return readWav(bytes, name);
    case "AIFF":
      return readAiff(bytes, name);
    case "FLAC":
    case "MP3":
    case "Vorbis":
    case "Opus":
      return readCoded(bytes, name, kind);
    case "MP4":
      return fail(
        `${name} is AAC or ALAC in MP4, which is not read: its encoder delay could not be told for certain.`,
        "Convert it to WAV or FLAC with the tool that made it, and add that.",
      );
    case "other Ogg":
      return fail(`${name} is an Ogg file that holds neither Vorbis nor Opus.`, EXPORT_ADVICE);
    case "unknown":
      return fail(`${name} is not a sound file that can be read here.`, EXPORT_ADVICE);
  }
}
