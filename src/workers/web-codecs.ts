import { type HostDecoder, type HostedStream, setHostDecoder } from "@/core/formats/host-decoder";
import { fail, succeed } from "@/core/outcome";

/** Packets that may wait in the decoder: it answers by events, which need time to come. */
const MOST_WAITING = 64;

const CONVERT = "Convert it to WAV or FLAC, and add that.";

/** Decodes by the browser itself, where it can. */
const decodeByBrowser: HostDecoder = async ({ codec, packets }, take) => {
  if (codec === "ALAC" || !packets) {
    return fail(`is ${codec === "ALAC" ? "Apple Lossless" : "AAC in CAF"}, which browsers do not decode.`, CONVERT);
  }
  const cannot = () => fail("is AAC, which this browser does not decode.", CONVERT);
  if (typeof AudioDecoder === "undefined") return cannot();
  const { supported } = await AudioDecoder.isConfigSupported(packets.config);
  if (!supported) return cannot();
  await decodedInOrder(packets, take);
  return succeed(null);
};

async function decodedInOrder(
  { config, each }: NonNullable<HostedStream["packets"]>,
  take: Parameters<HostDecoder>[1],
): Promise<void> {
  let failed: unknown = null;
  const decoder = new AudioDecoder({
    output: (data) => {
      if (failed === null) {
        try {
          take(samplesOf(data));
        } catch (error) {
          failed = error;
        }
      }
      data.close();
    },
    error: (error) => {
      failed ??= error;
    },
  });
  try {
    decoder.configure(config);
    for await (const { bytes, timestampSeconds, durationSeconds } of each()) {
      if (failed !== null) throw failed;
      while (decoder.decodeQueueSize > MOST_WAITING) await new Promise((resolve) => setTimeout(resolve));
      decoder.decode(
        new EncodedAudioChunk({
          type: "key",
          timestamp: 1e6 * timestampSeconds,
          duration: 1e6 * durationSeconds,
          data: bytes,
        }),
      );
    }
    await decoder.flush();
    if (failed !== null) throw failed;
  } finally {
    if (decoder.state !== "closed") decoder.close();
  }
}

function samplesOf(data: AudioData) {
  const channelData = Array.from({ length: data.numberOfChannels }, (_, planeIndex) => {
    const samples = new Float32Array(data.numberOfFrames);
    data.copyTo(samples, { planeIndex, format: "f32-planar" });
    return samples;
  });
  return { channelData, sampleRate: data.sampleRate };
}

setHostDecoder(decodeByBrowser);
