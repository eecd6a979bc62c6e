// What is done to a recording, and what Explain has to say of it; for `npm run trial -- explain`.
import { throughProcessors } from "@/core/testing/chains";
import { ALIASING_CLASSES } from "./explain-aliasing";
import { FAULT_CLASSES } from "./explain-faults";
import { FILTER_CLASSES } from "./explain-filters";
import {
  aliases,
  type Class,
  type Expected,
  each,
  editNear,
  expectEq,
  figureNear,
  leading,
  levelled,
  type Named,
  noisy,
  only,
  onMid,
  onSide,
  scaled,
} from "./explain-truth";
import * as m from "./misplaced";
import { coded, ffmpeg, sox } from "./outside";

const COMP = "acompressor=threshold=-26dB:ratio=3:attack=8:release=120";
const GAIN: Expected = { cause: "gainOverTime", or: ["gainInBands"] };

const BELL3K: Expected = expectEq(
  [
    [3000, 3],
    [200, 0],
  ],
  ["minimum"],
);

export const CLASSES: Class[] = [
  ...FILTER_CLASSES,
  [
    "gain over time",
    "compressor",
    (c) => ffmpeg(levelled(c), COMP),
    { causes: [{ cause: "gainOverTime", channels: "both" }] },
  ],
  [
    "gain over time",
    "slow ride",
    (c) => ffmpeg(c, "volume='0.7+0.3*sin(t*0.9)':eval=frame"),
    { causes: [{ cause: "gainOverTime", channels: "both" }] },
  ],
  [
    "gain over time",
    "limiter, 8 dB",
    (c) => ffmpeg(levelled(c, -12), "volume=8dB", "alimiter=limit=0.4:attack=3:release=60:level=0"),
    { causes: [{ cause: "gainOverTime", channels: "both" }], may: ["saturation", "delay"] },
  ],
  [
    "gain over time",
    "gate",
    (c) => ffmpeg(levelled(c), "agate=threshold=-24dB:ratio=8:attack=3:release=90:range=0.02"),
    { causes: [{ cause: "gainOverTime" }], may: ["edit"] },
  ],
  [
    "gain over time",
    "compressor, left only",
    (c) => onSide(levelled(c), (l) => ffmpeg(l, COMP), 0),
    { causes: [{ cause: "gainOverTime", channels: "left" }], may: ["balance"] },
    "stereo",
  ],
  [
    "gain over time",
    "compressor, mid only",
    (c) => onMid(levelled(c), (l) => ffmpeg(l, COMP)),
    { causes: [{ cause: "gainOverTime", channels: "mid" }], may: ["width"] },
    "stereo",
  ],
  [
    "gain in bands",
    "three-band compressor",
    (c) => throughProcessors(levelled(c), ["multiband-compressor", {}]),
    { causes: [{ cause: "gainInBands" }], may: ["eq", "gainOverTime"] },
  ],
  [
    "gain in bands",
    "dynamic equalizer",
    (c) => throughProcessors(levelled(c), ["dynamic-equalizer", {}]),
    { causes: [{ cause: "gainInBands" }], may: ["eq", "gainOverTime"] },
  ],
  [
    "saturation",
    "tanh, +12 dB",
    (c) => ffmpeg(levelled(c), "volume=12dB", "asoftclip=type=tanh"),
    { causes: [{ cause: "saturation", check: aliases(true) }] },
  ],
  [
    "saturation",
    "tanh oversampled in a filter",
    (c) => ffmpeg(levelled(c), "volume=6dB", "asoftclip=type=tanh:threshold=0.4:oversample=4"),
    // Its filters are of second order: what it makes over half the rate comes back.
    { causes: [{ cause: "saturation", check: aliases(true) }], may: ["eq", "delay"] },
  ],
  [
    "saturation",
    "clip",
    (c) => ffmpeg(levelled(c), "volume=12dB", "asoftclip=type=hard"),
    { causes: [{ cause: "saturation", check: aliases(true) }] },
  ],
  [
    "saturation",
    "even, x + 0.4·x²",
    (c) => each(levelled(c), (v) => v + 0.4 * v * v),
    { causes: [{ cause: "saturation", check: leading("even") }], may: ["dc"] },
  ],
  [
    "saturation",
    "odd, x − 0.5·x³",
    (c) =>
      each(levelled(c, -14), (v) => {
        const u = Math.max(-0.8, Math.min(0.8, v));
        return u - 0.5 * u ** 3;
      }),
    { causes: [{ cause: "saturation", check: leading("odd") }] },
  ],
  [
    "chain of two",
    "eq, compressor",
    (c) => ffmpeg(levelled(c), "equalizer=f=3000:t=q:w=1:g=3", COMP),
    { causes: [BELL3K, GAIN] },
  ],
  [
    "chain of two",
    "compressor, eq",
    (c) => ffmpeg(levelled(c), COMP, "equalizer=f=3000:t=q:w=1:g=3"),
    { causes: [BELL3K, GAIN] },
  ],
  [
    "chain of two",
    "eq, tanh",
    (c) => ffmpeg(levelled(c), "equalizer=f=200:t=q:w=1:g=6", "volume=9dB", "asoftclip=type=tanh"),
    {
      causes: [
        expectEq(
          [
            [200, 6],
            [3000, 0],
          ],
          ["minimum"],
        ),
        only("both", "saturation"),
      ],
    },
  ],
  [
    "chain of two",
    "tanh, eq",
    (c) => ffmpeg(levelled(c), "volume=9dB", "asoftclip=type=tanh", "treble=f=6000:g=-6"),
    { causes: [expectEq([[300, 0]], ["minimum"]), only("both", "saturation")] },
  ],
  [
    "chain of two",
    "compressor, tanh",
    (c) => ffmpeg(levelled(c), COMP, "volume=14dB", "asoftclip=type=tanh"),
    { causes: [GAIN, only("both", "saturation")] },
  ],
  [
    "chain of three",
    "eq, compressor, tanh",
    (c) => ffmpeg(levelled(c), "equalizer=f=150:t=q:w=0.9:g=5", COMP, "volume=14dB", "asoftclip=type=tanh"),
    { causes: [expectEq([[150, 5, 0.7]], ["minimum"]), GAIN, only("both", "saturation")] },
  ],
  [
    "chain of three",
    "compressor, tanh, eq",
    (c) => ffmpeg(levelled(c), COMP, "volume=14dB", "asoftclip=type=tanh", "equalizer=f=2500:t=q:w=1:g=4"),
    { causes: [expectEq([[2500, 4, 0.7]], ["minimum"]), GAIN, only("both", "saturation")] },
  ],
  [
    "chain of three",
    "high-pass, tanh, shelf",
    (c) => ffmpeg(levelled(c), "highpass=f=100:p=2", "volume=12dB", "asoftclip=type=tanh", "treble=f=7000:g=5"),
    { causes: [{ cause: "eq" }, only("both", "saturation")] },
  ],
  [
    "chain of three",
    "eq, compressor, tanh on the left alone",
    (c) =>
      onSide(
        levelled(c),
        (l) => ffmpeg(l, "equalizer=f=150:t=q:w=0.9:g=5", COMP, "volume=14dB", "asoftclip=type=tanh"),
        0,
      ),
    {
      causes: [
        expectEq([[150, 5, 1]], ["minimum"], "left"),
        { cause: "gainOverTime", channels: "left", or: ["gainInBands"] },
        only("left", "saturation"),
      ],
      may: ["balance"],
    },
    "stereo",
  ],
  [
    "routing",
    "balance +1 dB",
    (c) => each(c, (v, _, ch) => (ch === 1 ? v * 10 ** 0.05 : v)),
    { causes: [{ cause: "balance", check: figureNear("balanceDb", 1, 0.05) }] },
    "stereo",
  ],
  [
    "routing",
    "width +3 dB",
    (c) => onMid(c, (l) => scaled(l, 3), "side"),
    { causes: [{ cause: "width", check: figureNear("widthDb", 3, 0.1) }] },
    "stereo",
  ],
  ["routing", "mono", (c) => onMid(c, (l) => scaled(l, -200), "side"), { causes: [{ cause: "width" }] }, "stereo"],
  [
    "routing",
    "swapped",
    (c) => ({ ...c, channels: c.channels.toReversed() }),
    { causes: [{ cause: "swap" }] },
    "stereo",
  ],
  [
    "routing",
    "right inverted",
    (c) => each(c, (v, _, ch) => (ch === 1 ? -v : v)),
    { causes: [{ cause: "polarity", channels: "right" }] },
    "stereo",
  ],
  ["routing", "inverted", (c) => each(c, (v) => -v), { causes: [{ cause: "polarity", channels: "both" }] }],
  [
    "routing",
    "right 0.5 ms late",
    (c, rate) => {
      const n = Math.round(0.0005 * rate);
      return m.sides(
        c,
        c.channels[0],
        Float32Array.from(c.channels[1], (_, i) => c.channels[1][i - n] ?? 0),
      );
    },
    {
      causes: [
        {
          cause: "delay",
          channels: "right",
          check: (cause) => ((cause as Named<"delay">).samples > 0 ? null : "early"),
        },
      ],
      heard: true,
    },
    "stereo",
  ],
  [
    "routing",
    "crosstalk, right into left",
    (c) =>
      m.sides(
        c,
        c.channels[0].map((v, i) => v + 0.2 * c.channels[1][i]),
        c.channels[1],
      ),
    { causes: [{ cause: "crosstalk" }], may: ["balance", "eq", "width"] },
    "stereo",
  ],
  ["routing", "level −2.3 dB", (c) => scaled(c, -2.3), { causes: [], levelDb: -2.3 }],
  [
    "routing",
    "late by 573 samples, equalized",
    (c) => m.late(ffmpeg(c, "equalizer=f=2000:t=q:w=1:g=4"), 573),
    { causes: [{ cause: "delay", channels: "both" }, expectEq([[2000, 4]], ["minimum"])] },
  ],
  [
    "reverb and echo",
    "reverb",
    (c) => sox(c, "gain", "-6", "reverb", "60", "40", "80"),
    { causes: [{ cause: "reverb" }], may: ["crosstalk"] },
  ],
  [
    "reverb and echo",
    "echo 180 ms",
    (c) => ffmpeg(c, "aecho=1:1:180:0.35"),
    { causes: [{ cause: "echo", check: figureNear("milliseconds", 180, 1) }] },
  ],
  [
    "added",
    "hum of 50 Hz",
    (c, rate) =>
      each(
        c,
        (v, n) =>
          v + 0.001 * (Math.sin((2 * Math.PI * 50.02 * n) / rate) + 0.5 * Math.sin((2 * Math.PI * 100.04 * n) / rate)),
      ),
    { causes: [{ cause: "hum", check: figureNear("hertz", 50.02, 0.1) }] },
  ],
  [
    "added",
    "hum of 60 Hz",
    (c, rate) =>
      each(
        c,
        (v, n) =>
          v + 0.001 * (Math.sin((2 * Math.PI * 60 * n) / rate) + 0.5 * Math.sin((2 * Math.PI * 180 * n) / rate)),
      ),
    { causes: [{ cause: "hum", check: figureNear("hertz", 60, 0.1) }] },
  ],
  [
    "added",
    "line of 1234.5 Hz",
    (c, rate) => each(c, (v, n) => v + 0.001 * Math.sin((2 * Math.PI * 1234.5 * n) / rate)),
    { causes: [{ cause: "line", check: figureNear("hertz", 1234.5, 0.1) }] },
  ],
  [
    "added",
    "line of 45 Hz",
    (c, rate) => each(c, (v, n) => v + 0.002 * Math.sin((2 * Math.PI * 45 * n) / rate)),
    { causes: [{ cause: "line", check: figureNear("hertz", 45, 0.1) }] },
  ],
  [
    "added",
    "DC 0.01",
    (c) => each(c, (v) => v + 0.01),
    { causes: [{ cause: "dc", check: figureNear("fullScale", 0.01, 0.0005) }] },
  ],
  ["added", "noise of −60 dBFS", (c) => noisy(c, 0.001), { causes: [{ cause: "noise" }] }],
  [
    "added",
    "16 bits, dithered",
    (c) => m.worded(scaled(c, -3), 16, 5),
    { causes: [{ cause: "wordLength", check: figureNear("bits", 16, 0) }] },
  ],
  [
    "added",
    "16 bits, dithered, at its level",
    (c) => m.worded(c, 16, 5),
    { causes: [{ cause: "wordLength", check: figureNear("bits", 16, 0) }] },
  ],
  [
    "edits",
    "1.5 s muted",
    (c, rate) => each(c, (v, n) => (n > 4 * rate && n < 5.5 * rate ? 0 : v)),
    { is: "different", causes: [{ cause: "edit", check: editNear(4, 5.5, 0.8) }] },
  ],
  [
    "edits",
    "a full-scale click",
    (c, rate) => each(c, (v, n) => (n === Math.round(3.3 * rate) ? 0.99 : v)),
    { is: "different", causes: [{ cause: "edit", check: editNear(3.3, 3.3) }] },
  ],
  [
    "edits",
    "equalized, bypassed for 2 s",
    (c, rate) => {
      const y = ffmpeg(c, "equalizer=f=900:t=q:w=0.8:g=6");
      return {
        ...y,
        channels: y.channels.map((ch, k) => ch.map((v, n) => (n > 5 * rate && n < 7 * rate ? c.channels[k][n] : v))),
      };
    },
    { causes: [expectEq([[900, 6]], ["minimum"]), { cause: "edit", check: editNear(5, 7) }] },
  ],
  [
    "edits",
    "equalized for 2.5 s alone",
    (c, rate) => {
      const y = ffmpeg(c, "equalizer=f=900:t=q:w=0.8:g=6");
      return {
        ...c,
        channels: c.channels.map((ch, k) => ch.map((v, n) => (n > 5 * rate && n < 7.5 * rate ? y.channels[k][n] : v))),
      };
    },
    { is: "different", causes: [{ cause: "edit", check: editNear(5, 7.5) }] },
  ],
  ["edits", "4 s longer", (c, rate) => m.after(c, m.part(c, 0, 4 * rate)), { causes: [{ cause: "edit" }] }],
  [
    "refused",
    "MP3 at 96 kbit/s",
    (c) => coded(c, "mp3", "-c:a", "libmp3lame", "-b:a", "96k"),
    { causes: [], unexplained: true, may: ["eq", "coding", "gainOverTime"] },
  ],
  [
    "refused",
    "chorus",
    (c) => ffmpeg(c, "chorus=0.6:0.9:50|60:0.4|0.32:0.25|0.4:2|1.3"),
    { causes: [], unexplained: true, may: ["eq", "reverb", "echo", "crosstalk"] },
  ],
  ["same", "the same", (c) => c, { is: "same", causes: [] }],
  ...ALIASING_CLASSES,
  ...FAULT_CLASSES,
];
