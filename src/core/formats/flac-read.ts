import { FLACDecoder } from "@wasm-audio-decoders/flac";
import { createMD5 } from "hash-wasm";
import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS, FILE_REMARKS } from "../words/files";
import type { ByteSource } from "./byte-source";
import { layoutProblem, type OpenedAudio } from "./decoded-audio";
import { exactIntegers } from "./exact-integers";
import { type FlacFrame, flacFrames, flacStream } from "./flac-frames";
import { type Gap, gapsRemark, silence } from "./gaps";
import type { MakeCopy } from "./pcm-copy";

/** Bytes of frames that are decoded together. */
const BATCH_BYTES = 262_144;
/** Integers up to this many bits come out of the decoder's floats exactly. */
const MOST_BITS = 24;
type CutFrame = { bytes: Uint8Array; blockSize: number };

/**
 * Decodes a FLAC file to the last sample, bit for bit, into a copy of plain samples at its own rate. What is damaged is silent, keeps its
 * length, and is named with its time; the MD5 of the samples is compared where the file has one. `source` begins at the stream itself.
 */
export async function openFlac(
  source: ByteSource,
  name: string,
  makeCopy: MakeCopy,
  mostSamples: number,
  pieceBytes?: number,
): Promise<Outcome<OpenedAudio>> {
  const damaged = () => FILE_PROBLEMS.undecodable(name, "FLAC");
  const stream = flacStream(source);
  if (!stream) return damaged();
  const form = flacFrames(source, stream, pieceBytes).next().value?.form;
  if (!form) return damaged();
  const { bits, channelCount, sampleRateHz } = form;
  if (bits > MOST_BITS) return FILE_PROBLEMS.bitsUnsupported(name, bits, "FLAC");
  const refused = layoutProblem(name, channelCount, sampleRateHz);
  if (refused) return refused;
  if (stream.frames * channelCount > mostSamples) return FILE_PROBLEMS.tooLong(name, mostSamples);
  const headDiffers =
    bits !== stream.bits || channelCount !== stream.channelCount || sampleRateHz !== stream.sampleRateHz;

  const copy = makeCopy({ channelCount, sampleRateHz, encoding: "24-bit" });
  const digest = stream.md5 ? await sampleDigest(bits) : null;
  const decoder = new FLACDecoder();
  await decoder.ready;
  const gaps: Gap[] = [];
  let written = 0;
  let batch: CutFrame[] = [];
  let batchBytes = 0;

  const add = (channels: readonly Float32Array[]) => {
    copy.add(channels);
    digest?.update(channels);
  };
  const missing = (startFrame: number, frames: number) => {
    gaps.push({ startFrame, frames });
    for (const none of silence(channelCount, frames)) add(none);
  };
  const decoded = async (frames: readonly CutFrame[]): Promise<boolean> => {
    const { channelData, samplesDecoded, errors } = await decoder.decodeFrames(frames.map(({ bytes }) => bytes));
    const wanted = frames.reduce((sum, { blockSize }) => sum + blockSize, 0);
    const isWhole = errors.length === 0 && samplesDecoded === wanted && channelData.length === channelCount;
    if (isWhole) add(exactIntegers(channelData, bits, true));
    else await decoder.reset();
    return isWhole;
  };
  /** Decodes what was gathered; a frame that does not come out whole is silent. */
  const flush = async () => {
    const frames = batch;
    batch = [];
    batchBytes = 0;
    if (frames.length === 0 || (await decoded(frames))) return;
    let at = written - frames.reduce((sum, { blockSize }) => sum + blockSize, 0);
    for (const frame of frames) {
      if (!(await decoded([frame]))) missing(at, frame.blockSize);
      at += frame.blockSize;
    }
  };
  try {
    const frames = flacFrames(source, stream, pieceBytes);
    let base: number | null = null;
    let resume: number | undefined;
    for (let next = frames.next(); !next.done; next = frames.next(resume)) {
      resume = undefined;
      const frame: FlacFrame = next.value;
      let end: number | null = frame.ends[0];
      if (frame.ends.length !== 1 || frame.bytes.length !== end) {
        end = await trueEnd(frame, channelCount);
        resume = end ?? 0;
        if (end === null) continue;
      }
      // A stream that was cut out of a longer one does not begin at 0.
      base ??= frame.isFirst ? frame.startFrame : 0;
      const gap = frame.startFrame - base - written;
      if ((written + gap + frame.blockSize) * channelCount > mostSamples)
        return FILE_PROBLEMS.tooLong(name, mostSamples);
      if (gap > 0) {
        await flush();
        // It would take the next frame for a fault.
        await decoder.reset();
        missing(written, gap);
        written += gap;
      }
      batch.push({ bytes: frame.bytes.subarray(0, end), blockSize: frame.blockSize });
      batchBytes += end;
      written += frame.blockSize;
      if (batchBytes >= BATCH_BYTES) await flush();
    }
    await flush();
  } finally {
    decoder.free();
  }
  if (written === 0) return damaged();
  const remarks: string[] = [];
  if (gaps.length > 0) remarks.push(gapsRemark(gaps, sampleRateHz));
  if (headDiffers) remarks.push(FILE_REMARKS.headDiffers(sampleRateHz, bits, channelCount));
  if (written < stream.frames) remarks.push(FILE_REMARKS.cutShort);
  else if (stream.frames > 0 && written > stream.frames) remarks.push(FILE_REMARKS.longer);
  const checksum = digest ? (digest.hex() === stream.md5 ? "fits" : "differs") : null;
  if (checksum === "differs" && remarks.length === 0) remarks.push(FILE_REMARKS.checksumDiffers);
  const encoding = `FLAC ${bits}-bit${checksum === "fits" ? ", checksum fits" : ""}` as const;
  return succeed({ sound: copy.finish(), encoding, remarks });
}

/** Which of the places where a frame may end is its end; null where it comes out whole at none. */
async function trueEnd({ bytes, ends, blockSize }: FlacFrame, channelCount: number): Promise<number | null> {
  for (const end of ends) {
    const decoder = new FLACDecoder();
    await decoder.ready;
    try {
      const { samplesDecoded, channelData, errors } = await decoder.decodeFrames([bytes.subarray(0, end)]);
      if (errors.length === 0 && samplesDecoded === blockSize && channelData.length === channelCount) return end;
    } finally {
      decoder.free();
    }
  }
  return null;
}

/** MD5 of interleaved integers, least byte first, in as few whole bytes as hold them (RFC 9639, 8.2). */
async function sampleDigest(bits: number) {
  const hasher = await createMD5();
  const width = Math.ceil(bits / 8);
  const full = 2 ** (bits - 1);
  let bytes = new Uint8Array(0);
  return {
    update: (channels: readonly Float32Array[]) => {
      const frames = channels[0].length;
      const wanted = frames * channels.length * width;
      if (bytes.length < wanted) bytes = new Uint8Array(wanted);
      const stride = channels.length * width;
      for (let c = 0; c < channels.length; c++) {
        const channel = channels[c];
        for (let i = 0, at = c * width; i < frames; i++, at += stride) {
          const value = channel[i] * full;
          bytes[at] = value;
          if (width > 1) bytes[at + 1] = value >> 8;
          if (width > 2) bytes[at + 2] = value >> 16;
        }
      }
      hasher.update(bytes.subarray(0, wanted));
    },
    hex: () => hasher.digest("hex"),
  };
}
