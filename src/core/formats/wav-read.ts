import type { Clip } from "../audio/clip";
import { fail, type Outcome, succeed } from "../outcome";

export type SampleEncoding = "8-bit" | "16-bit" | "24-bit" | "32-bit" | "32-bit float" | "64-bit float";

export type DecodedAudio = {
  clip: Clip;
  encoding: SampleEncoding;
  /** Things a person should know although the file could be read. */
  remarks: string[];
};

const LOWEST_RATE_HZ = 8_000;
const HIGHEST_RATE_HZ = 384_000;

const FORMAT_PCM = 1;
const FORMAT_FLOAT = 3;
const FORMAT_EXTENSIBLE = 0xfffe;

const EXPORT_ADVICE = "Export it as WAV, mono or stereo, 16, 24 or 32 bit, and add it again.";

type Layout = { format: number; channelCount: number; sampleRateHz: number; bits: number };

const tagAt = (view: DataView, offset: number): string =>
  String.fromCharCode(...[0, 1, 2, 3].map((i) => view.getUint8(offset + i)));

/** What the first bytes say a file that is not WAV really is; null when unknown. */
function otherKindOf(view: DataView): string | null {
  if (view.byteLength < 12) return null;
  const tag = tagAt(view, 0);
  if (tag === "FORM") return "AIFF";
  if (tag === "fLaC") return "FLAC";
  if (tag === "OggS") return "Ogg";
  if (tag === "RF64" || tag === "BW64") return "64-bit WAV";
  if (tag.startsWith("ID3") || (view.getUint16(0) & 0xffe0) === 0xffe0) return "MP3";
  if (tagAt(view, 4) === "ftyp") return "MP4";
  return null;
}

/** Where the format and the samples lie. Chunk sizes that run past the end of the file are cut to it. */
function findChunks(view: DataView): { layout: Layout | null; dataStart: number; dataBytes: number; cut: boolean } {
  let layout: Layout | null = null;
  let dataStart = -1;
  let dataBytes = 0;
  let cut = false;
  let offset = 12;
  while (offset + 8 <= view.byteLength) {
    const tag = tagAt(view, offset);
    const declared = view.getUint32(offset + 4, true);
    const start = offset + 8;
    const size = Math.min(declared, view.byteLength - start);
    if (tag === "fmt " && size >= 16) {
      const format = view.getUint16(start, true);
      layout = {
        // The extensible form keeps the true code in the first two bytes of its sub-format GUID.
        format: format === FORMAT_EXTENSIBLE && size >= 26 ? view.getUint16(start + 24, true) : format,
        channelCount: view.getUint16(start + 2, true),
        sampleRateHz: view.getUint32(start + 4, true),
        bits: view.getUint16(start + 14, true),
      };
    } else if (tag === "data" && dataStart < 0) {
      dataStart = start;
      dataBytes = size;
      cut = declared > size;
    }
    offset = start + size + (size % 2);
  }
  return { layout, dataStart, dataBytes, cut };
}

function encodingOf({ format, bits }: Layout): SampleEncoding | null {
  if (format === FORMAT_PCM && (bits === 8 || bits === 16 || bits === 24 || bits === 32)) return `${bits}-bit`;
  if (format === FORMAT_FLOAT && (bits === 32 || bits === 64)) return `${bits}-bit float`;
  return null;
}

/** Reads one sample at a byte offset as value / 2^(bits − 1), or as the float it is. */
function sampleReader(view: DataView, encoding: SampleEncoding): (offset: number) => number {
  switch (encoding) {
    case "8-bit":
      return (o) => (view.getUint8(o) - 128) / 128;
    case "16-bit":
      return (o) => view.getInt16(o, true) / 32768;
    case "24-bit":
      return (o) => ((view.getInt8(o + 2) << 16) | (view.getUint8(o + 1) << 8) | view.getUint8(o)) / 8388608;
    case "32-bit":
      return (o) => view.getInt32(o, true) / 2147483648;
    case "32-bit float":
      return (o) => view.getFloat32(o, true);
    case "64-bit float":
      return (o) => view.getFloat64(o, true);
  }
}

/**
 * Reads a RIFF WAVE file (Microsoft and IBM 1991; extensible form of 2001): 8 to 32-bit integer, 32 and 64-bit float,
 * mono or stereo, 8 kHz to 384 kHz. Integers are exact: value / 2^(bits − 1); 32-bit integers and 64-bit floats are
 * rounded to the nearest 32-bit float. `name` is used in the messages only.
 */
export function readWav(bytes: Uint8Array, name: string): Outcome<DecodedAudio> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.byteLength === 0) return fail(`${name} is empty.`, "Render it again and add the new file.");
  if (bytes.byteLength < 12 || tagAt(view, 0) !== "RIFF" || tagAt(view, 8) !== "WAVE") {
    const kind = otherKindOf(view);
    return fail(kind ? `${name} is ${kind}, which is not read yet.` : `${name} is not a WAV file.`, EXPORT_ADVICE);
  }
  const { layout, dataStart, dataBytes, cut } = findChunks(view);
  if (!layout) return fail(`${name} is damaged: it does not say how its samples are stored.`, EXPORT_ADVICE);
  const { channelCount, sampleRateHz, bits } = layout;
  const encoding = encodingOf(layout);
  if (!encoding) {
    return fail(
      `${name} stores its samples in a form that is not read (code ${layout.format}, ${bits} bit).`,
      EXPORT_ADVICE,
    );
  }
  if (channelCount < 1 || channelCount > 2) {
    return fail(
      `${name} has ${channelCount} channels; only mono and stereo can be compared.`,
      "Export it in stereo and add it again.",
    );
  }
  if (sampleRateHz < LOWEST_RATE_HZ || sampleRateHz > HIGHEST_RATE_HZ) {
    return fail(
      `${name} says it runs at ${sampleRateHz} Hz, outside 8 kHz to 384 kHz.`,
      "Export it at its true rate and add it again.",
    );
  }
  const bytesPerSample = bits / 8;
  const frames = Math.floor(dataBytes / (bytesPerSample * channelCount));
  if (dataStart < 0 || frames === 0) return fail(`${name} holds no audio.`, "Render it again and add the new file.");

  const read = sampleReader(view, encoding);
  const channels = Array.from({ length: channelCount }, () => new Float32Array(frames));
  for (let c = 0; c < channelCount; c++) {
    const channel = channels[c];
    let offset = dataStart + c * bytesPerSample;
    const stride = channelCount * bytesPerSample;
    for (let i = 0; i < frames; i++, offset += stride) channel[i] = read(offset);
  }
  if (encoding.endsWith("float") && channels.some((c) => c.some((v) => !Number.isFinite(v)))) {
    return fail(
      `${name} contains samples that are not numbers.`,
      "Render it again; the processor that made it broke down.",
    );
  }
  const remarks = cut ? ["The file is cut short: it ends before the length it declares."] : [];
  return succeed({ clip: { channels, sampleRateHz }, encoding, remarks });
}
