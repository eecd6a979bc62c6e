import { type Failure, fail } from "../outcome";
import { plural } from "./units";

// What is wrong with a sound file, or worth knowing of it, in words: the fact first, then the way out.

const EXPORT_ADVICE = "Export it as WAV, mono or stereo, 16, 24 or 32 bit, and add it again.";
const CONVERT_ADVICE = "Convert it to WAV or FLAC, and add that.";
const RENDER_ADVICE = "Render it again and add the new file.";

/** Damaged places that are named one by one. */
const MOST_NAMED = 3;

// Plain spaces: these go to terminals and into JSON as well.
const seconds = (value: number): string => `${value.toFixed(3)} s`;
const megabytes = (samples: number): string => `${Math.round((4 * samples) / 1e6)} MB`;

/** Why a file is refused, each with the way out. `name` is the file's. */
export const FILE_PROBLEMS = {
  empty: (name: string): Failure => fail(`${name} is empty.`, RENDER_ADVICE),
  noAudio: (name: string) => fail(`${name} contains no audio.`, RENDER_ADVICE),
  noTrack: (name: string) => fail(`${name} contains no audio track.`, "Choose an audio file."),
  formatMissing: (name: string) => fail(`${name} is damaged: its sample format is missing.`, EXPORT_ADVICE),
  formatUnsupported: (name: string, format: string) =>
    fail(`${name} has an unsupported sample format (${format}).`, EXPORT_ADVICE),
  bitsUnsupported: (name: string, bits: number, codec: string) =>
    fail(`${name} is ${bits}-bit ${codec}, which is unsupported.`, EXPORT_ADVICE),
  dsd: (name: string) => fail(`${name} is DSD in WavPack, which is unsupported.`, EXPORT_ADVICE),
  undecodable: (name: string, codec: string) =>
    fail(`${name} is damaged: no ${codec} audio could be decoded.`, EXPORT_ADVICE),
  noDecoder: (name: string, codec: string) =>
    fail(`${name} is ${codec}, which cannot be decoded here.`, CONVERT_ADVICE),
  unknown: (name: string) => fail(`${name} is not a supported audio file.`, EXPORT_ADVICE),
  otherOgg: (name: string) => fail(`${name} is an Ogg file with neither Vorbis nor Opus.`, EXPORT_ADVICE),
  otherMp4: (name: string) => fail(`${name} is MP4 with neither AAC nor Apple Lossless.`, CONVERT_ADVICE),
  indexDamaged: (name: string) => fail(`${name} is damaged: its index cannot be read.`, EXPORT_ADVICE),
  /** `count` null: more than two. */
  channels: (name: string, count: number | null) =>
    fail(
      `${name} has ${count === null ? "more than two channels" : plural(count, "channel")}; only mono and stereo are supported.`,
      "Export it as stereo and add it again.",
    ),
  rate: (name: string, rateHz: number, lowestHz: number, highestHz: number) =>
    fail(
      `${name} declares ${rateHz} Hz, outside ${lowestHz / 1000} kHz to ${highestHz / 1000} kHz.`,
      "Export it at its true rate and add it again.",
    ),
  tooLong: (name: string, mostSamples: number) =>
    fail(
      `${name} decodes to more than ${megabytes(mostSamples)}, the limit.`,
      "Add only the passage you want to compare.",
    ),
  invalidSamples: (name: string, firstSeconds: number) =>
    fail(
      `${name} contains invalid samples (not numbers), the first at ${seconds(firstSeconds)}.`,
      "Render it again: the processor produced invalid samples.",
    ),
  farAboveFullScale: (name: string, sample: number, firstSeconds: number) =>
    fail(
      `${name} contains a sample far above full scale (${sample.toExponential(0)}), the first at ${seconds(firstSeconds)}.`,
      "Render it again: the processor produced invalid samples.",
    ),
  convertedTooLong: (name: string, rateHz: number, referenceHz: number) =>
    fail(
      `${name}, converted from ${rateHz} Hz to the reference's ${referenceHz} Hz, is too large to compare.`,
      "Compare a shorter passage, or use the file with the lower rate as dry.",
    ),
} as const;

/** What a person should know of a file although it could be read. Kept with the render as they are. */
export const FILE_REMARKS = {
  cutShort: "The file is cut short: it ends before the length it declares.",
  noLength: "The file gives no length; it was read to its end.",
  longer: "The file is longer than it declares; all of it is read.",
  checksumDiffers: "Checksum mismatch: samples or header were changed after encoding.",
  delayNotGiven: "The encoder delay is not given: it may start late. Alignment finds the delay.",
  headDiffers: (rateHz: number, bits: number, channelCount: number): string =>
    `The header and the audio differ in format. Read as in the audio: ${rateHz} Hz, ${bits} bit, ${channelCount === 1 ? "mono" : "stereo"}.`,
  /** "The file is damaged. Unreadable and silent: 85.3 ms at 1.024 s." */
  damaged: (gaps: readonly { startSeconds: number; milliseconds: number }[]): string => {
    const named = gaps
      .slice(0, MOST_NAMED)
      .map(({ startSeconds, milliseconds }) => `${milliseconds.toFixed(1)} ms at ${seconds(startSeconds)}`);
    const more = gaps.length > named.length ? ` and ${gaps.length - named.length} more` : "";
    return `The file is damaged. Unreadable and silent: ${named.join(", ")}${more}.`;
  },
  lossyWavPack: "The file is lossy; its correction file is not used.",
} as const;
