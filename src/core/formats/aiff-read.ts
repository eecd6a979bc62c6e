import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS, FILE_REMARKS } from "../words/files";
import { type ByteSource, SourceView } from "./byte-source";
import { layoutProblem, MOST_SAMPLES, type OpenedAudio, tagAt } from "./decoded-audio";
import { BYTES_PER_SAMPLE, type PcmEncoding, type PcmOrder, pcmSound } from "./pcm-samples";

type Common = { channelCount: number; frames: number; bits: number; sampleRateHz: number; coding: string };

/** An 80-bit extended float, as AIFF keeps its rate: sign and 15-bit exponent, then a 64-bit mantissa with its one. */
function extendedAt(view: SourceView, offset: number): number {
  const head = view.getUint16(offset);
  const mantissa = view.getUint32(offset + 2) * 2 ** 32 + view.getUint32(offset + 6);
  return (head & 0x8000 ? -1 : 1) * mantissa * 2 ** ((head & 0x7fff) - 16383 - 63);
}

/** How one sample is stored; sizes between whole bytes are left-justified in the next whole byte. */
function storageOf({ bits, coding }: Common): { encoding: PcmEncoding; order: PcmOrder } | null {
  const big: PcmOrder = { littleEndian: false, unsignedBytes: false };
  const kind = coding.toLowerCase();
  if (kind === "fl32") return { encoding: "32-bit float", order: big };
  if (kind === "fl64") return { encoding: "64-bit float", order: big };
  if (coding === "raw ") return { encoding: "8-bit", order: { littleEndian: false, unsignedBytes: true } };
  const wholeBytes = { NONE: true, twos: true, sowt: true, in24: true, in32: true }[coding];
  if (!wholeBytes || bits < 1 || bits > 32) return null;
  const encoding = (["8-bit", "16-bit", "24-bit", "32-bit"] as const)[Math.ceil(bits / 8) - 1];
  return { encoding, order: { littleEndian: coding === "sowt", unsignedBytes: false } };
}

function findChunks(view: SourceView, compressed: boolean) {
  let common: Common | null = null;
  let dataStart = -1;
  let dataBytes = 0;
  let offset = 12;
  while (offset + 8 <= view.byteLength) {
    const tag = tagAt(view, offset);
    const start = offset + 8;
    const size = Math.min(view.getUint32(offset + 4), view.byteLength - start);
    if (tag === "COMM" && size >= 18) {
      common = {
        channelCount: view.getUint16(start),
        frames: view.getUint32(start + 2),
        bits: view.getUint16(start + 6),
        sampleRateHz: Math.round(extendedAt(view, start + 8)),
        coding: compressed && size >= 22 ? tagAt(view, start + 18) : "NONE",
      };
    } else if (tag === "SSND" && size >= 8 && dataStart < 0) {
      const skipped = Math.min(view.getUint32(start), size - 8);
      dataStart = start + 8 + skipped;
      dataBytes = size - 8 - skipped;
    }
    offset = start + size + (size % 2);
  }
  return { common, dataStart, dataBytes };
}

/**
 * Opens an AIFF or AIFF-C file (Apple 1989 and 1991, as the Library of Congress describes them; from memory): 8 to 32-bit
 * integer of either byte order, 32 and 64-bit float, mono or stereo. Integers are exact: value / 2^(bits − 1).
 */
export function openAiff(source: ByteSource, name: string, mostSamples = MOST_SAMPLES): Outcome<OpenedAudio> {
  const view = new SourceView(source);
  const { common, dataStart, dataBytes } = findChunks(view, tagAt(view, 8) === "AIFC");
  if (!common) return FILE_PROBLEMS.formatMissing(name);
  const { channelCount, sampleRateHz, coding, bits } = common;
  const storage = storageOf(common);
  if (!storage) {
    return FILE_PROBLEMS.formatUnsupported(name, `${coding.trim()}, ${bits} bit`);
  }
  const problem = layoutProblem(name, channelCount, sampleRateHz);
  if (problem) return problem;
  const { encoding, order } = storage;
  const present = Math.floor(dataBytes / (BYTES_PER_SAMPLE[encoding] * channelCount));
  // A frame count of 0 beside sound is a recorder that never came back to write it.
  const frames = common.frames > 0 ? Math.min(common.frames, present) : present;
  if (dataStart < 0 || frames === 0) return FILE_PROBLEMS.noAudio(name);
  if (frames * channelCount > mostSamples) return FILE_PROBLEMS.tooLong(name, mostSamples);
  const remarks = present < common.frames ? [FILE_REMARKS.cutShort] : [];
  const sound = pcmSound(source, { dataStart, frames, channelCount, sampleRateHz, encoding, order });
  return succeed({ sound, encoding, remarks });
}
