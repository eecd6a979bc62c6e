import { type Sound, soundOf } from "../audio/sound";

/** What a coded file decodes to: 24 bits where that is exact. */
export type CopyForm = { channelCount: number; sampleRateHz: number; encoding: "24-bit" | "32-bit float" };

/** Where the samples of a coded file go, part by part. What is added belongs to the decoder: it is copied. */
export type PcmCopy = {
  add(channels: readonly Float32Array[]): void;
  /** The sound that the parts make; called once. */
  finish(): Sound;
};
export type MakeCopy = (form: CopyForm) => PcmCopy;

/** A copy in memory: for short files, and where there is nothing to keep one in. */
export const copyInMemory: MakeCopy = ({ channelCount, sampleRateHz }) => {
  const parts: Float32Array[][] = [];
  return {
    add: (channels) => parts.push(channels.map((channel) => channel.slice())),
    finish: () => {
      const frames = parts.reduce((sum, [first]) => sum + first.length, 0);
      const channels = Array.from({ length: channelCount }, (_, c) => {
        const channel = new Float32Array(frames);
        let at = 0;
        for (const part of parts) {
          channel.set(part[c], at);
          at += part[c].length;
        }
        return channel;
      });
      return soundOf({ channels, sampleRateHz });
    },
  };
};
