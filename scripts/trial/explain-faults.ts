// Edits, clicks and swapped sides beside a processing: is what holds elsewhere still reported, and the fault, and nothing that is not there?
import type { Clip } from "@/core/audio/clip";
import { type Class, type Expected, each, editNear, levelled } from "./explain-truth";
import { ffmpeg } from "./outside";

const COMP = "acompressor=threshold=-26dB:ratio=3:attack=8:release=120";
const BELL = "equalizer=f=900:t=q:w=1:g=5";
const TANH = ["volume=9dB", "asoftclip=type=tanh"];

const GAIN: Expected = { cause: "gainOverTime", or: ["gainInBands"] };
const EQ: Expected = { cause: "eq", channels: "both" };
const SATURATION: Expected = { cause: "saturation", channels: "both" };
const EDIT = (from: number, to: number, within?: number): Expected => ({
  cause: "edit",
  check: editNear(from, to, within),
});

const clicked = (clip: Clip, at: number, height: number) =>
  each(clip, (v, n) => (n === Math.round(at * clip.sampleRateHz) ? height : v));
const mutedAt = (clip: Clip, from: number, to: number) =>
  each(clip, (v, n) => (n >= from * clip.sampleRateHz && n < to * clip.sampleRateHz ? 0 : v));
/** One processing up to a moment, another from there. */
const changedAt = (clip: Clip, seconds: number, first: readonly string[], second: readonly string[]) => {
  const [a, b] = [ffmpeg(clip, ...first), ffmpeg(clip, ...second)];
  return each(a, (v, n, c) => (n < seconds * clip.sampleRateHz ? v : b.channels[c][n]));
};
const swapped = (clip: Clip): Clip => ({ ...clip, channels: clip.channels.toReversed() });

type Work = (clip: Clip) => Clip;
const fault = (name: string, work: Work, causes: Expected[], may: Expected["cause"][] = []): Class => [
  "faults",
  name,
  (clip) => work(levelled(clip)),
  { is: "different", causes, may },
];

const stereo = (...given: Parameters<typeof fault>): Class => {
  const [group, name, make, truth] = fault(...given);
  return [group, name, make, truth, "stereo"];
};

/** Compressed but for two seconds. */
function withoutFor2s(clip: Clip): Clip {
  const own = ffmpeg(clip, COMP);
  const { sampleRateHz: rate } = clip;
  return each(own, (v, n, c) => (n > 4 * rate && n < 6 * rate ? clip.channels[c][n] : v));
}

export const FAULT_CLASSES: Class[] = [
  fault("click, tanh", (c) => clicked(ffmpeg(c, ...TANH), 3.3, 0.99), [SATURATION, EDIT(3.3, 3.3)]),
  fault("click of −10 dBFS, tanh", (c) => clicked(ffmpeg(c, ...TANH), 3.3, -0.32), [SATURATION, EDIT(3.3, 3.3)]),
  fault("click, compressor", (c) => clicked(ffmpeg(c, COMP), 4.4, 0.99), [GAIN, EDIT(4.4, 4.4)]),
  fault("click, equalizer", (c) => clicked(ffmpeg(c, BELL), 4.4, 0.5), [EQ, EDIT(4.4, 4.4)]),
  fault("30 ms lost, equalizer", (c) => mutedAt(ffmpeg(c, BELL), 4, 4.03), [EQ, EDIT(4, 4.03)]),
  fault("0.5 s muted, compressor", (c) => mutedAt(ffmpeg(c, COMP), 4, 4.5), [GAIN, EDIT(4, 4.5)]),
  fault("1 s muted, equalizer, compressor, tanh", (c) => mutedAt(ffmpeg(c, BELL, COMP, ...TANH), 4, 5), [
    GAIN,
    EQ,
    SATURATION,
    EDIT(4, 5),
  ]),
  fault("compressor bypassed for 2 s", withoutFor2s, [GAIN], ["edit"]),
  fault(
    "another equalizer from 5 s on",
    (c) => changedAt(c, 5, [BELL], ["equalizer=f=3000:t=q:w=1:g=-6"]),
    [EQ],
    ["edit"],
  ),
  fault("equalizer from 5 s on", (c) => changedAt(c, 5, ["anull"], [BELL]), [], ["edit", "eq"]),
  fault("tanh from 5 s on", (c) => changedAt(c, 5, ["anull"], TANH), [], ["edit", "saturation", "gainOverTime"]),
  fault("level +1 dB from 5 s on", (c) => changedAt(c, 5, ["anull"], ["volume=1dB"]), [], ["edit", "gainOverTime"]),
  stereo("swapped, compressor", (c) => swapped(ffmpeg(c, COMP)), [GAIN, { cause: "swap" }]),
  stereo("swapped, tanh", (c) => swapped(ffmpeg(c, ...TANH)), [SATURATION, { cause: "swap" }]),
  stereo("swapped, equalizer", (c) => swapped(ffmpeg(c, BELL)), [EQ, { cause: "swap" }]),
  stereo("swapped, high-pass at 400 Hz", (c) => swapped(ffmpeg(c, "highpass=f=400")), [EQ, { cause: "swap" }]),
];
