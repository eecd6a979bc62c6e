// Pairs whose causes are known: recordings through ffmpeg, sox, and processors of ours where neither has one; for `npm run trial -- explain`.
import { type Clip, frameCount } from "@/core/audio/clip";
import { seededRandom } from "@/core/audio/random";
import { atRate } from "@/core/audio/resample";
import { clipOf, soundOf } from "@/core/audio/sound";
import type { ExplainReport } from "@/core/explain/explain";
import { throughProcessors } from "@/core/testing/chains";
import * as m from "./misplaced";
import { coded, ffmpeg, type MaterialName, type Source, sources, sox } from "./outside";

type Cause = ExplainReport["causes"][number];
type Named<Name extends Cause["cause"]> = Extract<Cause, { cause: Name }>;

/** A cause that is there: what it has to be told as. `check` says what is wrong with its figures, or null. */
export type Expected = {
  cause: Cause["cause"];
  channels?: Cause["channels"];
  check?: (cause: Cause) => string | null;
  /** Also right, where it is told as this. */
  or?: Cause["cause"][];
};
export type ExplainTruth = {
  is?: "same" | "same to 24 bits" | "same to 16 bits" | "different";
  causes: Expected[];
  /** Causes that may be told as well. */
  may?: Cause["cause"][];
  levelDb?: number;
  /** No processing may be claimed. */
  unexplained?: boolean;
  heard?: boolean;
};
export type ExplainCase = {
  group: string;
  name: string;
  make: () => { here: Clip; yonder: Clip };
  truth: ExplainTruth;
};

const expectEq = (
  at: [hertz: number, gainDb: number, withinDb?: number][],
  phase?: Named<"eq">["phase"][],
  channels: Cause["channels"] = "both",
): Expected => ({
  cause: "eq",
  channels,
  check: (cause) => {
    const { hertz, gainDb, errorDb, phase: told } = cause as Named<"eq">;
    for (const [hz, db, within = 0.5] of at) {
      const i = hertz.reduce((best, h, k) => (Math.abs(h - hz) < Math.abs(hertz[best] - hz) ? k : best), 0);
      const [found, error] = [gainDb[i], errorDb[i]];
      // The grid lies up to 1/48 octave beside.
      if (found !== null && Math.abs(found - db) > within + (error ?? 0))
        return `${found.toFixed(2)} dB at ${hz} Hz, not ${db}`;
    }
    if (phase && told !== "unknown" && !phase.includes(told)) return `phase ${told}`;
    return null;
  },
});

const only = (channels: Cause["channels"], cause: Cause["cause"]): Expected => ({ cause, channels });

/** Some channels of a clip worked on by themselves. */
function onSide(clip: Clip, work: (clip: Clip) => Clip, which: 0 | 1): Clip {
  const own = work({ ...clip, channels: [clip.channels[which]] }).channels[0];
  return {
    ...clip,
    channels: clip.channels.map((channel, c) => (c === which ? own : channel.subarray(0, own.length))),
  };
}
function onMid(clip: Clip, work: (clip: Clip) => Clip, which: "mid" | "side" = "mid"): Clip {
  const [l, r] = clip.channels;
  const mid = l.map((v, i) => 0.5 * (v + r[i]));
  const side = l.map((v, i) => 0.5 * (v - r[i]));
  const [own] = work({ ...clip, channels: [which === "mid" ? mid : side] }).channels;
  const [a, b] = which === "mid" ? [own, side] : [mid, own];
  return { ...clip, channels: [a.map((v, i) => v + b[i]), a.map((v, i) => v - b[i])] };
}
const each = (clip: Clip, work: (v: number, n: number, c: number) => number): Clip => ({
  ...clip,
  channels: clip.channels.map((channel, c) => channel.map((v, n) => work(v, n, c))),
});
const scaled = (clip: Clip, db: number) => each(clip, (v) => v * 10 ** (db / 20));

const COMP = "acompressor=threshold=-26dB:ratio=3:attack=8:release=120";
const rmsDb = (clip: Clip) =>
  10 *
  Math.log10(
    clip.channels.reduce((s, c) => s + c.reduce((t, v) => t + v * v, 0) / c.length, 0) / clip.channels.length + 1e-20,
  );
/** At a level that dynamics settings mean something to. */
const levelled = (clip: Clip, db = -18): Clip => scaled(clip, db - rmsDb(clip));
const GAIN: Expected = { cause: "gainOverTime", or: ["gainInBands"] };

type Make = (clip: Clip, rateHz: number) => Clip;
type Class = [group: string, name: string, make: Make, truth: ExplainTruth, needs?: "stereo"];

const BELL3K: Expected = expectEq(
  [
    [3000, 3],
    [200, 0],
  ],
  ["minimum"],
);

const CLASSES: Class[] = [
  [
    "eq",
    "three bands",
    (c) => ffmpeg(c, "equalizer=f=120:t=q:w=0.8:g=4", "equalizer=f=1000:t=q:w=1.4:g=-3", "treble=f=9000:g=3"),
    {
      causes: [
        expectEq(
          [
            [120, 4],
            [1000, -3],
          ],
          ["minimum"],
        ),
      ],
      heard: true,
    },
  ],
  [
    "eq",
    "bell +3 at 1 kHz",
    (c) => ffmpeg(c, "equalizer=f=1000:t=q:w=1:g=3"),
    {
      causes: [
        expectEq(
          [
            [1000, 3, 0.15],
            [100, 0.05, 0.2],
            [10000, 0.03, 0.2],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "bell −18 at 50 Hz, Q 10",
    (c) => ffmpeg(c, "equalizer=f=50:t=q:w=10:g=-18"),
    { causes: [expectEq([[50, -18, 1.5]], ["minimum"])] },
  ],
  [
    "eq",
    "bell +9 at 45 Hz",
    (c) => ffmpeg(c, "equalizer=f=45:t=q:w=1.5:g=9"),
    { causes: [expectEq([[45, 9]], ["minimum"])] },
  ],
  [
    "eq",
    "high-pass 12 dB/oct at 80 Hz",
    (c) => ffmpeg(c, "highpass=f=80:p=2"),
    {
      causes: [
        expectEq(
          [
            [80, -3.01],
            [1000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "high-pass 24 dB/oct at 80 Hz",
    (c) => ffmpeg(c, "highpass=f=80:p=2", "highpass=f=80:p=2"),
    {
      causes: [
        expectEq(
          [
            [80, -6.02],
            [1000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "high-pass 48 dB/oct at 70 Hz",
    (c) => ffmpeg(c, ...Array.from({ length: 4 }, () => "highpass=f=70:p=2")),
    {
      causes: [
        expectEq(
          [
            [70, -12.04],
            [1000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "low shelf +4 at 150 Hz",
    (c) => ffmpeg(c, "bass=g=4:f=150"),
    {
      causes: [
        expectEq(
          [
            [30, 4, 0.6],
            [2000, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "high shelf +3 at 8 kHz",
    (c) => ffmpeg(c, "treble=g=3:f=8000"),
    { causes: [expectEq([[200, 0]], ["minimum"])] },
  ],
  [
    "eq",
    "notch at 1.2 kHz",
    (c) => ffmpeg(c, "bandreject=f=1200:t=q:w=4"),
    {
      causes: [
        expectEq(
          [
            [600, -0.2, 0.6],
            [2400, -0.2, 0.6],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "low-pass 12 dB/oct at 6 kHz",
    (c) => ffmpeg(c, "lowpass=f=6000:p=2"),
    {
      causes: [
        expectEq(
          [
            [6000, -3.01],
            [500, 0],
          ],
          ["minimum"],
        ),
      ],
    },
  ],
  [
    "eq",
    "linear phase",
    (c) =>
      ffmpeg(
        c,
        "firequalizer=zero_phase=on:gain_entry='entry(0,0);entry(300,0);entry(1500,6);entry(6000,0);entry(24000,0)'",
      ),
    {
      causes: [
        expectEq(
          [
            [1500, 6, 0.6],
            [100, 0],
          ],
          ["linear"],
        ),
      ],
      may: ["delay"],
    },
  ],
  [
    "eq",
    "all-pass at 500 Hz",
    (c) => ffmpeg(c, "allpass=f=500:t=q:w=0.7"),
    {
      causes: [
        expectEq(
          [
            [100, 0],
            [2000, 0],
          ],
          ["all-pass"],
        ),
      ],
    },
  ],
  [
    "eq",
    "left only",
    (c) => onSide(c, (l) => ffmpeg(l, "equalizer=f=1000:t=q:w=1:g=5"), 0),
    { causes: [expectEq([[1000, 5]], ["minimum"], "left")] },
    "stereo",
  ],
  [
    "eq",
    "right only, shelf",
    (c) => onSide(c, (l) => ffmpeg(l, "treble=g=-4:f=5000"), 1),
    { causes: [expectEq([[200, 0]], ["minimum"], "right")] },
    "stereo",
  ],
  [
    "eq",
    "mid only",
    (c) => onMid(c, (l) => ffmpeg(l, "equalizer=f=800:t=q:w=1:g=-5")),
    { causes: [expectEq([[800, -5]], ["minimum"], "mid")] },
    "stereo",
  ],
  [
    "eq",
    "side only, shelf",
    (c) => onMid(c, (l) => ffmpeg(l, "treble=g=4:f=6000"), "side"),
    { causes: [expectEq([[300, 0]], ["minimum"], "side")] },
    "stereo",
  ],
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
    { causes: [{ cause: "saturation", check: aliases(false) }], may: ["eq", "delay"] },
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
];

function noisy(clip: Clip, rms: number): Clip {
  const random = seededRandom(77);
  return each(clip, (v) => v + rms * Math.sqrt(3) * (2 * random() - 1));
}

function aliases(is: boolean) {
  return (cause: Cause) => {
    const { aliasing } = cause as Named<"saturation">;
    return aliasing === null || aliasing === is ? null : `aliasing ${aliasing}`;
  };
}
function leading(part: "even" | "odd") {
  return (cause: Cause) => {
    const { evenDb, oddDb } = cause as Named<"saturation">;
    const by = (evenDb ?? -300) - (oddDb ?? -300);
    return (part === "even" ? by : -by) > 6 ? null : `even ${evenDb?.toFixed(1)}, odd ${oddDb?.toFixed(1)}`;
  };
}
function figureNear(key: string, value: number, within: number) {
  return (cause: Cause) => {
    const found = (cause as unknown as Record<string, number | null>)[key];
    return found !== null && Math.abs(found - value) <= within ? null : `${key} ${found}`;
  };
}
/** `within`: what is silent in Here is not muted in Yonder. */
function editNear(from: number, to: number, within = 0.4) {
  return (cause: Cause) => {
    const { startSeconds, endSeconds } = cause as Named<"edit">;
    return Math.abs(startSeconds - from) < within && Math.abs(endSeconds - to) < within
      ? null
      : `${startSeconds.toFixed(2)} to ${endSeconds.toFixed(2)} s`;
  };
}

/** What a set of material is heard in: mixes, clean mixes, single instruments, at four rates. */
function heard(material: MaterialName): Source[] {
  const all = sources(material);
  const some = (kind: Source["kind"], ...which: number[]) =>
    which.map((i) => all.filter((s) => s.kind === kind)[i]).filter(Boolean);
  const at = (s: Source, rateHz: number): Source => ({
    ...s,
    name: `${s.name} at ${rateHz / 1000} kHz`,
    clip: clipOf(atRate(soundOf(s.clip), rateHz)),
  });
  const [first, second, third] = some("mix", 0, 7, 8);
  return [
    first,
    some("clean mix", 1)[0],
    at(second, 44_100),
    some("instrument", 3)[0] ?? some("instrument", 0)[0],
    at(some("percussion", 0)[0], 96_000),
    some("speech", 1)[0],
    at(
      {
        ...third,
        clip: { ...third.clip, channels: third.clip.channels.map((c) => c.subarray(0, 8 * third.clip.sampleRateHz)) },
      },
      192_000,
    ),
  ].filter((s): s is Source => s !== undefined);
}

/** Each class on some of the material, turned so that every recording meets many classes. */
export function explainCases(material: MaterialName, times = 3): ExplainCase[] {
  const all = heard(material);
  const list: ExplainCase[] = [];
  for (const [i, [group, name, make, truth, needs]] of CLASSES.entries()) {
    const fitting = all.filter(
      ({ clip }) => (needs !== "stereo" || isStereo(clip)) && frameCount(clip) > 7.6 * clip.sampleRateHz,
    );
    for (let k = 0; k < times; k++) {
      const { name: sound, clip } = fitting[(i * 2 + k * 3) % fitting.length];
      list.push({
        group,
        name: `${name}, ${sound}`,
        make: () => {
          const levels = ["gain over time", "gain in bands", "saturation", "chain of two", "chain of three"].includes(
            group,
          );
          const dry = levels
            ? name.startsWith("limiter")
              ? levelled(clip, -12)
              : name.startsWith("odd")
                ? levelled(clip, -14)
                : name === "slow ride"
                  ? clip
                  : levelled(clip)
            : clip;
          return { here: dry, yonder: make(clip, clip.sampleRateHz) };
        },
        truth,
      });
    }
  }
  for (let k = 0; k < 4; k++) {
    // The fourth sounds in the second.
    const [a, b] = [all[k], all[k === 3 ? 0 : (k + 1) % 3]];
    list.push({
      group: "refused",
      name: `unrelated: ${a.name}, ${b.name}`,
      make: () => ({ here: a.clip, yonder: clipOf(atRate(soundOf(b.clip), a.clip.sampleRateHz)) }),
      truth: { causes: [], unexplained: true },
    });
  }
  return list;
}

/** Left and right are not the same. */
function isStereo({ channels }: Clip): boolean {
  if (channels.length < 2) return false;
  let [apart, all] = [0, 0];
  for (let i = 0; i < channels[0].length; i += 5) {
    apart += (channels[0][i] - channels[1][i]) ** 2;
    all += channels[0][i] ** 2;
  }
  return apart > 1e-4 * all;
}
