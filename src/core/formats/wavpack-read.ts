import { decoder as wavpackDecoder } from "@audio/decode-wavpack";
import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS, FILE_REMARKS } from "../words/files";
import type { ByteSource } from "./byte-source";
import { layoutProblem, type OpenedAudio, type SampleEncoding } from "./decoded-audio";
import { exactIntegers } from "./exact-integers";
import { type Gap, gapsRemark, silence } from "./gaps";
import type { MakeCopy, PcmCopy } from "./pcm-copy";

/** A block's head (WavPack 5 block format; from memory, checked against files of the reference encoder). */
type Block = {
  byteLength: number;
  totalFrames: number;
  startFrame: number;
  frames: number;
  flags: number;
  crc: number;
};

const HEAD_BYTES = 32;
/** The format's own limit. */
const MOST_BLOCK_BYTES = 1_048_576;
const FLAGS = {
  mono: 0x4,
  hybrid: 0x8,
  float: 0x80,
  wideIntegers: 0x100,
  oneBlock: 0x1800,
  falseStereo: 0x4000_0000,
  dsd: 0x8000_0000,
} as const;
const shiftOf = (flags: number): number => (flags >>> 13) & 0x1f;
const has = (flags: number, flag: keyof typeof FLAGS): boolean => (flags & FLAGS[flag]) !== 0;

function blockAt(source: ByteSource, at: number): Block | null {
  if (at + HEAD_BYTES > source.byteLength) return null;
  const bytes = source.read(at, at + HEAD_BYTES).slice();
  const view = new DataView(bytes.buffer);
  const byteLength = view.getUint32(4, true) + 8;
  if (view.getUint32(0) !== 0x7776706b || byteLength < HEAD_BYTES || byteLength > MOST_BLOCK_BYTES) return null;
  const total = view.getUint32(12, true);
  return {
    byteLength,
    totalFrames: total === 0xffff_ffff ? 0 : total + view.getUint8(11) * 2 ** 32,
    startFrame: view.getUint32(16, true) + view.getUint8(10) * 2 ** 32,
    frames: view.getUint32(20, true),
    flags: view.getUint32(24, true),
    crc: view.getUint32(28, true),
  };
}

/** The next block from a byte on; null where there is none. */
function blockFrom(source: ByteSource, from: number): { at: number; block: Block } | null {
  for (let at = from; at + HEAD_BYTES <= source.byteLength; at++) {
    const block = blockAt(source, at);
    if (block) return { at, block };
  }
  return null;
}

/** The sum a block keeps of its integers; null where it is of what was stored before they were widened, or is of floats. */
function crcOf({ flags }: Block, channels: readonly Float32Array[], bits: number): number | null {
  if (has(flags, "float") || has(flags, "wideIntegers") || shiftOf(flags) > 0 || has(flags, "hybrid")) return null;
  const full = 2 ** (bits - 1);
  const [left, right] = channels;
  const isOne = has(flags, "mono") || has(flags, "falseStereo");
  let crc = -1;
  for (let i = 0; i < left.length; i++) {
    const l = left[i] * full;
    crc = isOne ? (Math.imul(crc, 3) + l) | 0 : (Math.imul(crc, 9) + l * 3 + right[i] * full) | 0;
  }
  return crc >>> 0;
}

/**
 * Decodes a WavPack file into a copy of plain samples at its own rate: integers to 24 bits and 32-bit floats, bit for bit. A damaged block is
 * silent in its place and named with its time. Files that are lossy by themselves say so.
 */
export async function openWavpack(
  source: ByteSource,
  name: string,
  makeCopy: MakeCopy,
  mostSamples: number,
): Promise<Outcome<OpenedAudio>> {
  const damaged = () => FILE_PROBLEMS.undecodable(name, "WavPack");
  const first = blockFrom(source, 0);
  if (!first) return damaged();
  const { flags, totalFrames } = first.block;
  const bits = 8 * ((flags & 3) + 1) - shiftOf(flags);
  if (has(flags, "dsd")) return FILE_PROBLEMS.dsd(name);
  if ((flags & FLAGS.oneBlock) !== FLAGS.oneBlock) {
    return FILE_PROBLEMS.channels(name, null);
  }
  if (!has(flags, "float") && bits > 24) return FILE_PROBLEMS.bitsUnsupported(name, bits, "WavPack");
  if (totalFrames * (has(flags, "mono") ? 1 : 2) > mostSamples) return FILE_PROBLEMS.tooLong(name, mostSamples);
  const decoder = await wavpackDecoder();
  const gaps: Gap[] = [];
  let copy: PcmCopy | null = null;
  let shape = { channelCount: 0, sampleRateHz: 0 };
  let written = 0;
  const missing = (frames: number) => {
    if (frames <= 0) return;
    gaps.push({ startFrame: written, frames });
    for (const none of silence(shape.channelCount, frames)) copy?.add(none);
    written += frames;
  };
  try {
    for (let next = first as ReturnType<typeof blockFrom>; next; ) {
      const { at, block } = next;
      const bytes = source.read(at, Math.min(source.byteLength, at + block.byteLength)).slice();
      next = blockFrom(source, at + block.byteLength);
      if (bytes.length < block.byteLength) break;
      let audio: ReturnType<typeof decoder.decode>;
      try {
        audio = decoder.decode(bytes);
      } catch {
        continue;
      }
      const { channelData, sampleRate } = audio;
      if (!copy && channelData.length > 0) {
        const refused = layoutProblem(name, channelData.length, sampleRate);
        if (refused) return refused;
        shape = { channelCount: channelData.length, sampleRateHz: sampleRate };
        copy = makeCopy({ ...shape, encoding: has(flags, "float") ? "32-bit float" : "24-bit" });
      }
      if (!copy || channelData.length !== shape.channelCount || channelData[0].length !== block.frames) continue;
      const channels = has(flags, "float") ? channelData : exactIntegers(channelData, bits, false);
      const crc = crcOf(block, channels, bits);
      if (crc !== null && crc !== block.crc) continue;
      missing(block.startFrame - first.block.startFrame - written);
      if ((written + block.frames) * shape.channelCount > mostSamples) return FILE_PROBLEMS.tooLong(name, mostSamples);
      copy.add(channels);
      written += block.frames;
    }
  } finally {
    decoder.free();
  }
  if (!copy || written === 0) return damaged();
  const remarks = gaps.length > 0 ? [gapsRemark(gaps, shape.sampleRateHz)] : [];
  if (written < totalFrames) remarks.push(FILE_REMARKS.cutShort);
  if (has(flags, "hybrid")) remarks.push(FILE_REMARKS.lossyWavPack);
  const encoding: SampleEncoding = has(flags, "float") ? "WavPack 32-bit float" : `WavPack ${bits}-bit`;
  return succeed({ sound: copy.finish(), encoding, remarks });
}
