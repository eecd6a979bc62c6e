import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS, FILE_REMARKS } from "../words/files";
import { type ByteSource, bytesInMemory, SourceView } from "./byte-source";
import { type DecodedAudio, layoutProblem, MOST_SAMPLES, type OpenedAudio, tagAt, wholeOf } from "./decoded-audio";
import { BYTES_PER_SAMPLE, type PcmEncoding, pcmSound } from "./pcm-samples";

const FORMAT_PCM = 1;
const FORMAT_FLOAT = 3;
const FORMAT_EXTENSIBLE = 0xfffe;
/** A size that means: look in the ds64 chunk, or, where there is none, nobody knew when writing began. */
const SIZE_ELSEWHERE = 0xffffffff;

type Layout = {
  format: number;
  channelCount: number;
  sampleRateHz: number;
  /** Bits that count, and bytes each sample takes up. */
  bits: number;
  containerBytes: number;
};
type Found = { layout: Layout | null; dataStart: number; dataBytes: number; remarks: string[] };

/** A chunk name is four printable characters. */
function isTag(view: SourceView, offset: number): boolean {
  if (offset + 8 > view.byteLength) return false;
  return [0, 1, 2, 3].every((i) => {
    const code = view.getUint8(offset + i);
    return code >= 0x20 && code < 0x7f;
  });
}

function layoutAt(view: SourceView, start: number, size: number): Layout {
  const code = view.getUint16(start, true);
  const isExtensible = code === FORMAT_EXTENSIBLE && size >= 26;
  const channelCount = view.getUint16(start + 2, true);
  const declaredBits = view.getUint16(start + 14, true);
  const validBits = isExtensible ? view.getUint16(start + 18, true) : 0;
  const wholeBytes = Math.ceil(declaredBits / 8);
  // A sample takes the bytes that its block says, unless the block lies.
  const blockBytes = view.getUint16(start + 12, true) / Math.max(1, channelCount);
  const told = Number.isInteger(blockBytes) && blockBytes >= wholeBytes && blockBytes <= 8;
  return {
    // The extensible form keeps the true code in the first two bytes of its sub-format GUID.
    format: isExtensible ? view.getUint16(start + 24, true) : code,
    channelCount,
    sampleRateHz: view.getUint32(start + 4, true),
    bits: validBits > 0 && validBits < declaredBits ? validBits : declaredBits,
    containerBytes: told ? blockBytes : wholeBytes,
  };
}

/** Where the format and the samples lie. Chunk sizes that run past the end of the file are cut to it. */
function findChunks(view: SourceView): Found {
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
      // A second one says nothing of the samples that follow the first.
      found.layout ??= layoutAt(view, start, size);
    } else if (tag === "data" && found.dataStart < 0) {
      if (declared === SIZE_ELSEWHERE || (declared === 0 && rest > 0 && !isTag(view, start))) {
        // A recorder that never came back to write the length: everything to the end is sound.
        size = rest;
        found.remarks.push(FILE_REMARKS.noLength);
      } else if (declared > size) found.remarks.push(FILE_REMARKS.cutShort);
      found.dataStart = start;
      found.dataBytes = size;
    }
    offset = start + size;
    // Chunks of odd length are followed by a byte of padding, which some writers forget.
    if (size % 2 && !(isTag(view, offset) && !isTag(view, offset + 1))) offset++;
  }
  return found;
}

function encodingOf({ format, bits, containerBytes }: Layout): PcmEncoding | null {
  if (format === FORMAT_PCM && bits >= 1 && bits <= 32 && containerBytes >= 1 && containerBytes <= 4) {
    return (["8-bit", "16-bit", "24-bit", "32-bit"] as const)[containerBytes - 1];
  }
  if (format === FORMAT_FLOAT && (bits === 32 || bits === 64)) return `${bits}-bit float`;
  return null;
}

/** Stretches looked at to tell on which side of their container samples stand, and samples in each. */
const LOOKED_AT = { stretches: 64, samples: 64 };

/**
 * How integers of fewer bits stand in their container: on its upper side, as the standard has it; on its lower one, as some writers do; or
 * not at all, the block having lied about their size.
 */
function standing(
  source: ByteSource,
  start: number,
  samples: number,
  { bits, containerBytes }: Layout,
): "upper" | "lower" | "packed" {
  const spare = 8 * containerBytes - bits;
  if (spare === 0 || containerBytes === 1) return "upper";
  let [upper, lower] = [true, true];
  const step = Math.max(LOOKED_AT.samples, Math.floor(samples / LOOKED_AT.stretches));
  for (let first = 0; first < samples && (upper || lower); first += step) {
    const count = Math.min(LOOKED_AT.samples, samples - first);
    const at = start + first * containerBytes;
    const bytes = source.read(at, at + count * containerBytes);
    for (let i = 0; i < count; i++) {
      let value = 0;
      for (let b = containerBytes - 1; b >= 0; b--) value = value * 256 + bytes[i * containerBytes + b];
      if (value % 2 ** spare !== 0) upper = false;
      const signed = value >= 2 ** (8 * containerBytes - 1) ? value - 2 ** (8 * containerBytes) : value;
      if (signed < -(2 ** (bits - 1)) || signed >= 2 ** (bits - 1)) lower = false;
    }
  }
  // Spare bits that hold something but no sign are dither or rounding of a writer that fills its container.
  return upper ? "upper" : lower ? "lower" : spare >= 8 ? "packed" : "upper";
}

/**
 * Opens a RIFF WAVE file (Microsoft and IBM 1991; extensible form of 2001) or its 64-bit form (EBU Tech 3306): 8 to
 * 32-bit integer in containers of as many bits or more, 32 and 64-bit float, mono or stereo, 8 kHz to 384 kHz. Integers are exact: value /
 * 2^(bits − 1);
 * 32-bit integers and 64-bit floats are rounded to the nearest 32-bit float. `name` is used in the messages only.
 */
export function openWav(source: ByteSource, name: string, mostSamples = MOST_SAMPLES): Outcome<OpenedAudio> {
  const { layout, dataStart, dataBytes, remarks } = findChunks(new SourceView(source));
  if (!layout) return FILE_PROBLEMS.formatMissing(name);
  const { channelCount, sampleRateHz, bits, format } = layout;
  const declared = encodingOf(layout);
  if (!declared) {
    return FILE_PROBLEMS.formatUnsupported(name, `code ${format}, ${bits} bit`);
  }
  const problem = layoutProblem(name, channelCount, sampleRateHz);
  if (problem) return problem;
  const isInteger = format === FORMAT_PCM;
  const containers = Math.floor(dataBytes / BYTES_PER_SAMPLE[declared]);
  const side = isInteger && dataStart >= 0 ? standing(source, dataStart, containers, layout) : "upper";
  const packed = { ...layout, containerBytes: Math.ceil(bits / 8) };
  const encoding = (side === "packed" ? encodingOf(packed) : declared) ?? declared;
  const frames = Math.floor(dataBytes / (BYTES_PER_SAMPLE[encoding] * channelCount));
  if (dataStart < 0 || frames === 0) return FILE_PROBLEMS.noAudio(name);
  if (frames * channelCount > mostSamples) return FILE_PROBLEMS.tooLong(name, mostSamples);
  const raised = side === "lower" ? 2 ** (8 * BYTES_PER_SAMPLE[encoding] - bits) : 1;
  const order = { littleEndian: true, unsignedBytes: true };
  const sound = pcmSound(source, { dataStart, frames, channelCount, sampleRateHz, encoding, order, raised });
  return succeed({ sound, encoding, remarks });
}

/** The same for bytes in memory, with all of their sound at once: for short files. */
export const readWav = (bytes: Uint8Array, name: string, mostSamples = MOST_SAMPLES): Outcome<DecodedAudio> =>
  wholeOf(name, openWav(bytesInMemory(bytes), name, mostSamples));
