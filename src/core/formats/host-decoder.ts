import type { Outcome } from "../outcome";
import type { ByteSource } from "./byte-source";
import type { RawAudio } from "./decode-pieces";

/** A compressed stream that only the host can decode: a browser by WebCodecs, a terminal by ffmpeg where it is there. */
export type HostedStream = {
  codec: "AAC" | "ALAC";
  source: ByteSource;
  /** As WebCodecs wants it; null for containers that only a whole decoder reads. */
  packets: {
    config: { codec: string; sampleRate: number; numberOfChannels: number; description?: Uint8Array };
    each(): AsyncGenerator<{ bytes: Uint8Array; timestampSeconds: number; durationSeconds: number }>;
  } | null;
};

/**
 * Decodes a stream and hands on its sound in order, from the first packet on, the encoder's delay included where there are packets. A failure
 * where the host cannot: its reason without the file's name, which is put before it.
 */
export type HostDecoder = (stream: HostedStream, take: (part: RawAudio) => void) => Promise<Outcome<null>>;

let decoder: HostDecoder | null = null;

/** Each host says once, where it begins, how such streams are decoded there. */
export function setHostDecoder(own: HostDecoder | null): void {
  decoder = own;
}

export const hostDecoder = (): HostDecoder | null => decoder;
