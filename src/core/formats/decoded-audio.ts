import type { Clip } from "../audio/clip";
import { fail, type Outcome } from "../outcome";

export type SampleEncoding =
  | "8-bit"
  | "16-bit"
  | "24-bit"
  | "32-bit"
  | "32-bit float"
  | "64-bit float"
  | "MP3"
  | "Vorbis"
  | "Opus"
  | `FLAC ${number}-bit`;

export type DecodedAudio = {
  clip: Clip;
  encoding: SampleEncoding;
  /** Things a person should know although the file could be read. */
  remarks: string[];
};

export const LOWEST_RATE_HZ = 8_000;
export const HIGHEST_RATE_HZ = 384_000;

export const EXPORT_ADVICE = "Export it as WAV, mono or stereo, 16, 24 or 32 bit, and add it again.";
export const CUT_SHORT = "The file is cut short: it ends before the length it declares.";

export const tagAt = (view: DataView, offset: number): string =>
  String.fromCharCode(...[0, 1, 2, 3].map((i) => view.getUint8(offset + i)));

/** Why a file of this layout cannot be compared; null when it can. */
export function layoutProblem(name: string, channelCount: number, sampleRateHz: number): Outcome<never> | null {
  if (channelCount < 1 || channelCount > 2) {
    return fail(
      `${name} has ${channelCount} channels; only mono and stereo can be compared.`,
      "Export it in stereo and add it again.",
    );
  }
  if (!(sampleRateHz >= LOWEST_RATE_HZ && sampleRateHz <= HIGHEST_RATE_HZ)) {
    return fail(
      `${name} says it runs at ${sampleRateHz} Hz, outside 8 kHz to 384 kHz.`,
      "Export it at its true rate and add it again.",
    );
  }
  return null;
}

/** Refuses samples that are not numbers: they would poison every sum. */
export function finiteProblem(name: string, channels: readonly Float32Array[]): Outcome<never> | null {
  for (const channel of channels) {
    for (let i = 0; i < channel.length; i++) {
      if (!Number.isFinite(channel[i])) {
        return fail(
          `${name} contains samples that are not numbers.`,
          "Render it again; the processor that made it broke down.",
        );
      }
    }
  }
  return null;
}
