// What the trial's recordings are sent through before they are laid on each other.
import type { Clip } from "@/core/audio/clip";
import * as m from "./misplaced";
import { coded, ffmpeg, sox } from "./outside";

/** Processors that answer in time with their input: minimum-phase or linear-phase with their delay taken out. */
export const FILTERS: [string, (clip: Clip) => Clip][] = [
  ["bells +8 and −8 dB", (c) => ffmpeg(c, "equalizer=f=250:t=q:w=1:g=-8", "equalizer=f=3500:t=q:w=1:g=8")],
  ["shelves ±8 dB", (c) => ffmpeg(c, "bass=g=8:f=120", "treble=g=-8:f=6000")],
  ["low-pass 12 dB/oct at 150 Hz", (c) => ffmpeg(c, "lowpass=f=150:p=2")],
  ["low-pass 12 dB/oct at 500 Hz", (c) => ffmpeg(c, "lowpass=f=500:p=2")],
  ["low-pass 12 dB/oct at 2 kHz", (c) => ffmpeg(c, "lowpass=f=2000:p=2")],
  ["low-pass 12 dB/oct at 8 kHz", (c) => ffmpeg(c, "lowpass=f=8000:p=2")],
  ["low-pass 24 dB/oct at 1 kHz", (c) => ffmpeg(c, "lowpass=f=1000:p=2", "lowpass=f=1000:p=2")],
  ["high-pass 12 dB/oct at 300 Hz", (c) => ffmpeg(c, "highpass=f=300:p=2")],
  [
    "telephone band",
    (c) => ffmpeg(c, "highpass=f=300:p=2", "highpass=f=300:p=2", "lowpass=f=3400:p=2", "lowpass=f=3400:p=2"),
  ],
  ["linear-phase low-pass at 4 kHz", (c) => sox(c, "sinc", "-L", "-4k")],
  // sox turns a pass band inverted.
  ["linear-phase band 200 Hz to 5 kHz", (c) => m.scaled(sox(c, "sinc", "-L", "200-5k"), -1)],
];

export const LEVELS: [string, (clip: Clip) => Clip][] = [
  ["compressed 8:1", (c) => ffmpeg(c, "acompressor=threshold=-30dB:ratio=8:attack=5:release=80:makeup=2")],
  ["compressed fast", (c) => sox(c, "compand", "0.002,0.05", "6:-60,-60,-30,-15,0,-6", "-3")],
  ["gated", (c) => ffmpeg(c, "agate=threshold=-35dB:ratio=4:attack=3:release=100")],
  ["swelling gain", (c) => ffmpeg(c, "tremolo=f=0.4:d=0.7")],
];

export const SATURATORS: [string, (clip: Clip) => Clip][] = [
  ["tanh, 6 dB", (c) => ffmpeg(c, "volume=6dB", "asoftclip=type=tanh")],
  ["tanh, 18 dB", (c) => ffmpeg(c, "volume=18dB", "asoftclip=type=tanh", "volume=-6dB")],
  ["arc tangent, 12 dB", (c) => ffmpeg(c, "volume=12dB", "asoftclip=type=atan")],
  ["cubic, 9 dB", (c) => ffmpeg(c, "volume=9dB", "asoftclip=type=cubic")],
  ["clipped, 12 dB", (c) => ffmpeg(c, "volume=12dB", "asoftclip=type=hard", "volume=-6dB")],
  ["biased, 9 dB", (c) => ffmpeg(c, "volume=9dB", "dcshift=0.2", "asoftclip=type=tanh", "highpass=f=10")],
  ["8 bit", (c) => ffmpeg(c, "acrusher=bits=8:mode=lin:mix=1")],
];

export const AMPLIFIERS: [string, (clip: Clip) => Clip][] = [
  [
    "amplifier and cabinet",
    (c) =>
      ffmpeg(
        c,
        ...["volume=12dB", "highpass=f=120:p=2", "asoftclip=type=tanh", "equalizer=f=2500:t=q:w=1.2:g=7"],
        ...["highpass=f=90:p=2", "lowpass=f=4500:p=2", "lowpass=f=5200:p=2", "volume=-6dB"],
      ),
  ],
];

export const CODERS: [string, (clip: Clip) => Clip][] = [
  // Lower rates are resampled inside the coder, which moves them by parts of a sample.
  ["MP3 96 kbit/s", (c) => coded(c, "mp3", "-c:a", "libmp3lame", "-b:a", "96k")],
  ["MP3 192 kbit/s", (c) => coded(c, "mp3", "-c:a", "libmp3lame", "-b:a", "192k")],
  ["Vorbis", (c) => coded(c, "ogg", "-c:a", "libvorbis", "-q:a", "1")],
  ["Opus 96 kbit/s", (c) => coded(c, "opus", "-c:a", "libopus", "-b:a", "96k")],
];
