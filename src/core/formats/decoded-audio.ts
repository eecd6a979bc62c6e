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

/** Samples of one file held at the most, frames times channels: ten minutes of 384 kHz stereo, 2 GB as 32-bit floats. */
export const MOST_SAMPLES = 500_000_000;

/** A file that holds or unfolds into more than can be held. */
export const tooLong = (name: string, mostSamples: number): Outcome<never> =>
  fail(
    `${name} unfolds into more than ${Math.round((4 * mostSamples) / 1e6)} MB of sound, more than can be held at once.`,
    "Cut out the passage that you want to compare and add that.",
  );

/** What stands this far over full scale is no sound: +80 dBFS. */
const LARGEST_SAMPLE = 1e4;

/** Refuses samples that are no numbers or beyond all measure: one of them would poison every sum. */
export function finiteProblem(
  name: string,
  channels: readonly Float32Array[],
  sampleRateHz: number,
): Outcome<never> | null {
  for (const channel of channels) {
    for (let i = 0; i < channel.length; i++) {
      // Written so that what is no number fails it too.
      if (channel[i] < LARGEST_SAMPLE && channel[i] > -LARGEST_SAMPLE) continue;
      const what = Number.isFinite(channel[i])
        ? `a sample far beyond full scale (${channel[i].toExponential(0)})`
        : "samples that are not numbers";
      return fail(
        `${name} contains ${what}, the first at ${(i / sampleRateHz).toFixed(3)} s.`,
        "Render it again; the processor that made it broke down.",
      );
    }
  }
  return null;
}
