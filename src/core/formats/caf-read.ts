import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS, FILE_REMARKS } from "../words/files";
import { type ByteSource, SourceView } from "./byte-source";
import { layoutProblem, MOST_SAMPLES, type OpenedAudio, tagAt } from "./decoded-audio";
import { BYTES_PER_SAMPLE, type PcmEncoding, pcmSound } from "./pcm-samples";

/** What a Core Audio Format file says of its samples (Apple, CAF Specification 1.0; from memory, checked against files of ffmpeg). */
type Description = {
  sampleRateHz: number;
  /** "lpcm" for plain samples. */
  format: string;
  isFloat: boolean;
  littleEndian: boolean;
  bytesPerFrame: number;
  channelCount: number;
  bits: number;
};

const HEAD_BYTES = 8;
const CHUNK_HEAD_BYTES = 12;
const DESCRIPTION_BYTES = 32;
const FLOAT_FLAG = 1;
const LITTLE_ENDIAN_FLAG = 2;
/** A count of edits stands before the samples. */
const EDIT_COUNT_BYTES = 4;
/** A length that a recorder has not come back to write. */
const UNKNOWN_LENGTH = -1n;

function chunksOf(view: SourceView) {
  let description: Description | null = null;
  let dataStart = -1;
  let dataBytes = 0;
  let isCut = false;
  for (let at = HEAD_BYTES; at + CHUNK_HEAD_BYTES <= view.byteLength; ) {
    const tag = tagAt(view, at);
    const declared = BigInt.asIntN(64, view.getBigUint64(at + 4));
    const start = at + CHUNK_HEAD_BYTES;
    const left = view.byteLength - start;
    const size = declared === UNKNOWN_LENGTH ? left : Number(declared);
    if (size < 0) break;
    if (tag === "desc" && Math.min(size, left) >= DESCRIPTION_BYTES) {
      const flags = view.getUint32(start + 12);
      description = {
        sampleRateHz: doubleAt(view, start),
        format: tagAt(view, start + 8),
        isFloat: (flags & FLOAT_FLAG) !== 0,
        littleEndian: (flags & LITTLE_ENDIAN_FLAG) !== 0,
        bytesPerFrame: view.getUint32(start + 16),
        channelCount: view.getUint32(start + 24),
        bits: view.getUint32(start + 28),
      };
    } else if (tag === "data" && dataStart < 0) {
      dataStart = start + EDIT_COUNT_BYTES;
      dataBytes = Math.max(0, Math.min(size, left) - EDIT_COUNT_BYTES);
      isCut = size > left;
    }
    at = start + size;
  }
  return { description, dataStart, dataBytes, isCut };
}

function doubleAt(view: SourceView, offset: number): number {
  const bits = new DataView(new ArrayBuffer(8));
  bits.setBigUint64(0, view.getBigUint64(offset));
  return bits.getFloat64(0);
}

/** The format in a CAF file: "lpcm" for plain samples, "alac", "aac "; null where it does not say. */
export const cafFormat = (source: ByteSource): string | null =>
  chunksOf(new SourceView(source)).description?.format ?? null;

function encodingOf({ isFloat, bits, bytesPerFrame, channelCount }: Description): PcmEncoding | null {
  const encodings: PcmEncoding[] = isFloat ? ["32-bit float", "64-bit float"] : ["8-bit", "16-bit", "24-bit", "32-bit"];
  const bytes = bytesPerFrame / channelCount;
  return encodings.find((encoding) => BYTES_PER_SAMPLE[encoding] === bytes && 8 * bytes === bits) ?? null;
}

/** Opens a CAF file of plain samples: 8 to 32-bit integer and 32 or 64-bit float of either byte order, mono or stereo. Exact as WAV is. */
export function openCaf(source: ByteSource, name: string, mostSamples = MOST_SAMPLES): Outcome<OpenedAudio> {
  const { description, dataStart, dataBytes, isCut } = chunksOf(new SourceView(source));
  if (!description) return FILE_PROBLEMS.formatMissing(name);
  const { format, channelCount, sampleRateHz, bits, littleEndian, bytesPerFrame } = description;
  const problem = layoutProblem(name, channelCount, sampleRateHz);
  if (problem) return problem;
  const encoding = format === "lpcm" ? encodingOf(description) : null;
  if (!encoding) return FILE_PROBLEMS.formatUnsupported(name, `${format.trim()}, ${bits} bit`);
  const frames = Math.floor(dataBytes / bytesPerFrame);
  if (dataStart < 0 || frames === 0) return FILE_PROBLEMS.noAudio(name);
  if (frames * channelCount > mostSamples) return FILE_PROBLEMS.tooLong(name, mostSamples);
  const order = { littleEndian, unsignedBytes: false };
  const sound = pcmSound(source, { dataStart, frames, channelCount, sampleRateHz, encoding, order });
  return succeed({ sound, encoding, remarks: isCut ? [FILE_REMARKS.cutShort] : [] });
}
