import type { Clip } from "../audio/clip";
import { clipOf, piecesOf, type Sound } from "../audio/sound";
import { extremesWithin } from "../kernels/sums";
import { type Outcome, succeed } from "../outcome";
import { FILE_PROBLEMS } from "../words/files";

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
  | "AAC"
  | "ALAC"
  | "WavPack 32-bit float"
  | `WavPack ${number}-bit`
  | `FLAC ${number}-bit`
  /** Where the file's own checksum of its samples was compared. */
  | `FLAC ${number}-bit, checksum fits`;

export type OpenedAudio = {
  sound: Sound;
  encoding: SampleEncoding;
  /** Things a person should know although the file could be read. */
  remarks: string[];
};

export const LOWEST_RATE_HZ = 8_000;
export const HIGHEST_RATE_HZ = 384_000;

export const tagAt = (view: { getUint8(offset: number): number }, offset: number): string =>
  String.fromCharCode(...[0, 1, 2, 3].map((i) => view.getUint8(offset + i)));

/** Why a file of this layout cannot be compared; null when it can. */
export function layoutProblem(name: string, channelCount: number, sampleRateHz: number): Outcome<never> | null {
  if (channelCount < 1 || channelCount > 2) return FILE_PROBLEMS.channels(name, channelCount);
  const isInRange = sampleRateHz >= LOWEST_RATE_HZ && sampleRateHz <= HIGHEST_RATE_HZ;
  return isInRange ? null : FILE_PROBLEMS.rate(name, sampleRateHz, LOWEST_RATE_HZ, HIGHEST_RATE_HZ);
}

/** Samples of one file held at the most, frames times channels: ten minutes of 384 kHz stereo, 2 GB as 32-bit floats. */
export const MOST_SAMPLES = 500_000_000;

/** What stands this far over full scale is no sound: +80 dBFS. */
export const LARGEST_SAMPLE = 1e4;

/** Refuses samples that are no numbers or beyond all measure: one of them would poison every sum. `startFrame` is that of the first. */
export function finiteProblem(
  name: string,
  channels: readonly Float32Array[],
  sampleRateHz: number,
  startFrame = 0,
): Outcome<never> | null {
  for (const channel of channels) {
    const [{ low, high }] = extremesWithin(channel, [channel.length]);
    // Written so that what is no number fails it too.
    if (low > -LARGEST_SAMPLE && high < LARGEST_SAMPLE) continue;
    for (let i = 0; i < channel.length; i++) {
      if (channel[i] < LARGEST_SAMPLE && channel[i] > -LARGEST_SAMPLE) continue;
      const firstSeconds = (startFrame + i) / sampleRateHz;
      return Number.isFinite(channel[i])
        ? FILE_PROBLEMS.farAboveFullScale(name, channel[i], firstSeconds)
        : FILE_PROBLEMS.invalidSamples(name, firstSeconds);
    }
  }
  return null;
}

/** The same for all of a sound. */
export function soundProblem(name: string, sound: Sound): Outcome<never> | null {
  for (const { startFrame, channels } of piecesOf(sound)) {
    const problem = finiteProblem(name, channels, sound.sampleRateHz, startFrame);
    if (problem) return problem;
  }
  return null;
}

/** A file with all of its sound in memory. */
export type DecodedAudio = { clip: Clip; encoding: SampleEncoding; remarks: string[] };

/** All of an opened file's sound at once, and looked at: for short files. */
export function wholeOf(name: string, opened: Outcome<OpenedAudio>): Outcome<DecodedAudio> {
  if (!opened.ok) return opened;
  const { sound, encoding, remarks } = opened.value;
  const clip = clipOf(sound);
  return finiteProblem(name, clip.channels, clip.sampleRateHz) ?? succeed({ clip, encoding, remarks });
}
