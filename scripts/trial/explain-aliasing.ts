// Saturation with and without oversampling, by ffmpeg and by processors of ours, alone and in chains: does Explain tell aliasing where there is none?
import type { Clip } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import { throughProcessors } from "@/core/testing/chains";
import { aliases, type Class, type Expected, each, levelled, noisy } from "./explain-truth";
import { ffmpeg } from "./outside";

const COMP = "acompressor=threshold=-26dB:ratio=3:attack=8:release=120";
const BELL = "equalizer=f=900:t=q:w=1:g=5";
const LIMITER = "alimiter=limit=0.3:attack=3:release=60:level=0";

/** A curve between two changes of rate, whose filters are steep and of linear phase. */
const atTimes = ({ sampleRateHz }: Clip, times: number, curve: string): string[] => [
  `aresample=${times * sampleRateHz}:filter_size=128:cutoff=0.98`,
  curve,
  `aresample=${sampleRateHz}:filter_size=128:cutoff=0.98`,
];

const dithered = (clip: Clip): Clip => {
  const random = seededRandom(5);
  return each(clip, (v) => Math.round(v * 32_768 + random() - random()) / 32_768);
};

type Work = (clip: Clip) => Clip;
const group = (is: boolean, name: string, work: Work, others: Expected["cause"][] = []): Class => [
  "aliasing",
  `${name}, ${is ? "at the file's own rate" : "oversampled"}`,
  (clip) => work(levelled(clip)),
  {
    causes: [{ cause: "saturation", check: aliases(is) }],
    may: ["eq", "delay", ...others],
  },
];

const GAIN: Expected["cause"][] = ["gainOverTime", "gainInBands"];
const TANH = "asoftclip=type=tanh";
const CLIP = "asoftclip=type=hard";
const DRIVE = "volume=12dB";

export const ALIASING_CLASSES: Class[] = [
  group(false, "tanh", (c) => ffmpeg(c, DRIVE, ...atTimes(c, 8, TANH))),
  group(false, "clip", (c) => ffmpeg(c, DRIVE, ...atTimes(c, 8, CLIP))),
  group(false, "arc tangent", (c) => ffmpeg(c, DRIVE, ...atTimes(c, 16, "asoftclip=type=atan"))),
  group(false, "drive of ours", (c) => throughProcessors(c, ["drive-stage", { driveDb: 15, oversampling: 8 }])),
  group(false, "biased of ours", (c) => throughProcessors(c, ["biased-stage", { driveDb: 9, oversampling: 16 }]), [
    "dc",
  ]),
  group(false, "eq, tanh", (c) => ffmpeg(c, BELL, DRIVE, ...atTimes(c, 8, TANH))),
  group(false, "tanh, eq", (c) => ffmpeg(c, DRIVE, ...atTimes(c, 8, TANH), BELL)),
  group(false, "compressor, tanh", (c) => ffmpeg(c, COMP, DRIVE, ...atTimes(c, 8, TANH)), GAIN),
  group(false, "clip, limiter", (c) => ffmpeg(c, DRIVE, ...atTimes(c, 8, CLIP), LIMITER), GAIN),
  group(false, "tanh, dither", (c) => dithered(ffmpeg(c, "volume=9dB", ...atTimes(c, 8, TANH))), [
    "wordLength",
    "noise",
  ]),
  group(true, "tanh, noise", (c) => noisy(ffmpeg(c, DRIVE, TANH), 3e-4), ["noise"]),
  group(true, "clip, eq", (c) => ffmpeg(c, DRIVE, CLIP, BELL)),
  group(true, "compressor, clip", (c) => ffmpeg(c, COMP, DRIVE, CLIP), GAIN),
  group(true, "tanh, limiter", (c) => ffmpeg(c, DRIVE, TANH, LIMITER), GAIN),
  // Its curve lies between filters of second order: the third harmonic of 9.4 kHz comes back as loud as that of 1 kHz is.
  group(true, "ffmpeg's tanh in four", (c) =>
    ffmpeg(c, "volume=6dB", "asoftclip=type=tanh:threshold=0.4:oversample=4"),
  ),
];
