import { fail, type Outcome, succeed } from "../outcome";
import { CUT_SHORT, type DecodedAudio, EXPORT_ADVICE, finiteProblem, layoutProblem, tagAt } from "./decoded-audio";
import { BYTES_PER_SAMPLE, type PcmEncoding, readSamples } from "./pcm-samples";

const FORMAT_PCM = 1;
const FORMAT_FLOAT = 3;
const FORMAT_EXTENSIBLE = 0xfffe;
/** A size that means: look in the ds64 chunk, or, where there is none, nobody knew when writing began. */
const SIZE_ELSEWHERE = 0xffffffff;

type Layout = { format: number; channelCount: number; sampleRateHz: number; bits: number };
type Found = { layout: Layout | null; dataStart: number; dataBytes: number; remarks: string[] };

/** A chunk name is four printable characters. */
function isTag(view: DataView, offset: number): boolean {
  if (offset + 8 > view.byteLength) return false;
  return [0, 1, 2, 3].every((i) => {
    const code = view.getUint8(offset + i);
    return code >= 0x20 && code < 0x7f;
  });
}

/** Where the format and the samples lie. Chunk sizes that run past the end of the file are cut to it. */
function findChunks(view: DataView): Found {
  const found: Found = { layout: null, dataStart: -1, dataBytes: 0, remarks: [] };
  let longDataBytes: number | null = null;
  let offset = 12;
  while (offset + 8 <= view.byteLength) {
    const tag = tagAt(view, offset);
    const start = offset + 8;
    const rest = view.byteLength - start;
    let declared = view.getUint32(offset + 4, true);
    if (tag === "ds64" && declared >= 24 && rest >= 24) {
      longDataBytes = Number(view.getBigUint64(start + 8, true));
    }
    if (tag === "data" && declared === SIZE_ELSEWHERE && longDataBytes !== null) declared = longDataBytes;
    let size = Math.min(declared, rest);
    if (tag === "fmt " && size >= 16) {
      const format = view.getUint16(start, true);
      found.layout = {
        // The extensible form keeps the true code in the first two bytes of its sub-format GUID.
        format: format === FORMAT_EXTENSIBLE && size >= 26 ? view.getUint16(start + 24, true) : format,
        channelCount: view.getUint16(start + 2, true),
        sampleRateHz: view.getUint32(start + 4, true),
        bits: view.getUint16(start + 14, true),
      };
    } else if (tag === "data" && found.dataStart < 0) {
      if (declared === SIZE_ELSEWHERE || (declared === 0 && rest > 0 && !isTag(view, start))) {
        // A recorder that never came back to write the length: everything to the end is sound.
        size = rest;
        found.remarks.push("The file does not say how long it is; everything to its end was read.");
      } else if (declared > size) found.remarks.push(CUT_SHORT);
      found.dataStart = start;
      found.dataBytes = size;
    }
    offset = start + size + (size % 2);
  }
  return found;
}

function encodingOf({ format, bits }: Layout): PcmEncoding | null {
  if (format === FORMAT_PCM && (bits === 8 || bits === 16 || bits === 24 || bits === 32)) return `${bits}-bit`;
  if (format === FORMAT_FLOAT && (bits === 32 || bits === 64)) return `${bits}-bit float`;
  return null;
}

/**
 * Reads a RIFF WAVE file (Microsoft and IBM 1991; extensible form of 2001) or its 64-bit form (EBU Tech 3306): 8 to
 * 32-bit integer, 32 and 64-bit float, mono or stereo, 8 kHz to 384 kHz. Integers are exact: value / 2^(bits − 1);
 * 32-bit integers and 64-bit floats are rounded to the nearest 32-bit float. `name` is used in the messages only.
 */
export function readWav(bytes: Uint8Array, name: string): Outcome<DecodedAudio> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const { layout, dataStart, dataBytes, remarks } = findChunks(view);
  if (!layout) return fail(`${name} is damaged: it does not say how its samples are stored.`, EXPORT_ADVICE);
  const { channelCount, sampleRateHz, bits, format } = layout;
  const encoding = encodingOf(layout);
  if (!encoding) {
    return fail(`${name} stores its samples in a form that is not read (code ${format}, ${bits} bit).`, EXPORT_ADVICE);
  }
  const problem = layoutProblem(name, channelCount, sampleRateHz);
  if (problem) return problem;
  const frames = Math.floor(dataBytes / (BYTES_PER_SAMPLE[encoding] * channelCount));
  if (dataStart < 0 || frames === 0) return fail(`${name} holds no audio.`, "Render it again and add the new file.");
  const order = { littleEndian: true, unsignedBytes: true };
  const channels = readSamples(view, dataStart, frames, channelCount, encoding, order);
  const broken = encoding.endsWith("float") ? finiteProblem(name, channels) : null;
  return broken ?? succeed({ clip: { channels, sampleRateHz }, encoding, remarks });
}
