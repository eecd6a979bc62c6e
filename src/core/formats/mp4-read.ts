import { ADTS, CustomSource, EncodedPacketSink, Input, type InputAudioTrack, MP4, QTFF } from "mediabunny";
import { fail, type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS, FILE_REMARKS } from "../words/files";
import type { ByteSource } from "./byte-source";
import { cafFormat } from "./caf-read";
import { type RawAudio, TooLong } from "./decode-pieces";
import { layoutProblem, type OpenedAudio } from "./decoded-audio";
import { type HostedStream, hostDecoder } from "./host-decoder";
import { mp4Facts } from "./mp4-facts";
import type { MakeCopy, PcmCopy } from "./pcm-copy";

/** Where the sound lies in what is decoded. */
type Extent = {
  /** Before it, in seconds: what the encoder put in front. */
  delaySeconds: number;
  /** Null: to the end. */
  durationSeconds: number | null;
  isTold: boolean;
};

/**
 * Opens AAC (in MP4 or by itself) and Apple Lossless, decoded by the host, at its own rate. An edit list or iTunes' note says what an encoder put
 * before and behind the sound, which is cut; where neither is there, a remark says so.
 */
export async function openMp4(
  source: ByteSource,
  name: string,
  makeCopy: MakeCopy,
  mostSamples: number,
): Promise<Outcome<OpenedAudio>> {
  const read = await streamIn(source, name);
  if (!read.ok) return read;
  const { stream, extent } = read.value;
  const decode = hostDecoder();
  if (!decode) return FILE_PROBLEMS.noDecoder(name, stream.codec);
  let copy: PcmCopy | null = null;
  let refused: Outcome<never> | null = null;
  let skipped = 0;
  let written = 0;
  const take = ({ channelData, sampleRate }: RawAudio) => {
    if (!copy && !refused) {
      refused = layoutProblem(name, channelData.length, sampleRate);
      const form = { channelCount: channelData.length, sampleRateHz: sampleRate };
      if (!refused) copy = makeCopy({ ...form, encoding: stream.codec === "ALAC" ? "24-bit" : "32-bit float" });
    }
    const frames = channelData[0].length;
    const from = Math.min(frames, Math.max(0, Math.round(extent.delaySeconds * sampleRate) - skipped));
    skipped += from;
    const most = extent.durationSeconds === null ? Infinity : Math.round(extent.durationSeconds * sampleRate);
    const to = Math.min(frames, from + most - written);
    if (to <= from) return;
    written += to - from;
    if (written * channelData.length > mostSamples) throw new TooLong();
    copy?.add(channelData.map((channel) => channel.subarray(from, to)));
  };
  try {
    const decoded = await decode(stream, take);
    if (!decoded.ok) return fail(`${name} ${decoded.reason}`, decoded.advice);
  } catch (error) {
    if (error instanceof TooLong) return FILE_PROBLEMS.tooLong(name, mostSamples);
    return FILE_PROBLEMS.undecodable(name, stream.codec);
  }
  if (refused) return refused;
  const sound = (copy as PcmCopy | null)?.finish();
  if (!sound || sound.frames === 0) {
    return FILE_PROBLEMS.undecodable(name, stream.codec);
  }
  return succeed({ sound, encoding: stream.codec, remarks: extent.isTold ? [] : [FILE_REMARKS.delayNotGiven] });
}

async function streamIn(source: ByteSource, name: string): Promise<Outcome<{ stream: HostedStream; extent: Extent }>> {
  const format = cafFormat(source);
  const whole = { delaySeconds: 0, durationSeconds: null, isTold: true };
  if (format === "alac" || format === "aac ") {
    // What is before the sound stands in the file, and is taken off by whoever reads it.
    const codec = format === "alac" ? "ALAC" : "AAC";
    return succeed({ stream: { codec, source, packets: null }, extent: whole });
  }
  if (format !== null) {
    return FILE_PROBLEMS.formatUnsupported(name, format.trim());
  }
  try {
    const input = new Input({
      source: new CustomSource({
        getSize: () => source.byteLength,
        read: (start, end) => source.read(start, end).slice(),
      }),
      formats: [MP4, QTFF, ADTS],
    });
    const track = await input.getPrimaryAudioTrack();
    if (!track) return FILE_PROBLEMS.noTrack(name);
    const codec = await track.getCodec();
    if (codec === "aac") {
      return succeed({
        stream: { codec: "AAC", source, packets: await packetsOf(track) },
        extent: await extentOf(source, track),
      });
    }
    if ((await track.getInternalCodecId()) === "alac") {
      return succeed({ stream: { codec: "ALAC", source, packets: null }, extent: whole });
    }
    return FILE_PROBLEMS.otherMp4(name);
  } catch {
    return FILE_PROBLEMS.indexDamaged(name);
  }
}

async function packetsOf(track: InputAudioTrack): Promise<HostedStream["packets"]> {
  const config = await track.getDecoderConfig();
  if (!config) return null;
  const { codec, sampleRate, numberOfChannels } = config;
  const description = config.description as Uint8Array | undefined;
  return {
    config: { codec, sampleRate, numberOfChannels, ...(description ? { description } : {}) },
    async *each() {
      for await (const { data, timestamp, duration } of new EncodedPacketSink(track).packets()) {
        yield { bytes: data, timestampSeconds: timestamp, durationSeconds: duration };
      }
    },
  };
}

async function extentOf(source: ByteSource, track: InputAudioTrack): Promise<Extent> {
  const first = await track.getFirstTimestamp();
  const end = await track.computeDuration();
  const { edit, note } = mp4Facts(source);
  if (edit && edit.durationSeconds > 0) {
    // The track's own length is exact; the edit's is rounded to its steps, and counts where it ends well before.
    const isShorter = edit.durationSeconds + edit.stepSeconds < end;
    return { delaySeconds: Math.max(0, -first), durationSeconds: isShorter ? edit.durationSeconds : end, isTold: true };
  }
  if (note) {
    const rateHz = await track.getSampleRate();
    return { delaySeconds: note.delay / rateHz, durationSeconds: note.frames / rateHz, isTold: true };
  }
  return { delaySeconds: Math.max(0, -first), durationSeconds: null, isTold: first < 0 };
}
