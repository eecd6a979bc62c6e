// Chains drawn at random, of ffmpeg's filters over their usual ranges; for `npm run trial -- explain --random COUNT --seed N`. Fixed classes are learnt by heart in time,
// these are not: each seed is new material for the same question, whether anything is told that was not done.
import { frameCount } from "@/core/audio/clip";
import { forwardReal } from "@/core/audio/fft";
import { seededRandom } from "@/core/audio/random";
import {
  aliases,
  type Expected,
  type ExplainCase,
  levelled,
  type Named,
  noisy,
  onMid,
  onSide,
  scaled,
} from "./explain-truth";
import { ffmpeg, type Source } from "./outside";

type Random = () => number;
type Stage = { cause: "eq" | "gainOverTime" | "saturation"; filters: string[]; aliasing?: boolean };

const between = (random: Random, low: number, high: number) => low + (high - low) * random();
const byOctaves = (random: Random, low: number, high: number) => low * (high / low) ** random();
const oneOf = <T>(random: Random, list: readonly T[]): T => list[Math.floor(random() * list.length)];
const some = (value: number, digits = 2) => value.toFixed(digits);

function band(random: Random): string {
  const gain = some(oneOf(random, [-1, 1]) * between(random, 1, 12), 1);
  const kind = random();
  if (kind < 0.5)
    return `equalizer=f=${some(byOctaves(random, 40, 15_000), 0)}:t=q:w=${some(byOctaves(random, 0.4, 6))}:g=${gain}`;
  if (kind < 0.65) return `bass=f=${some(byOctaves(random, 60, 400), 0)}:g=${gain}`;
  if (kind < 0.8) return `treble=f=${some(byOctaves(random, 2000, 10_000), 0)}:g=${gain}`;
  if (kind < 0.92) return `highpass=f=${some(byOctaves(random, 20, 200), 0)}`;
  return `lowpass=f=${some(byOctaves(random, 6000, 18_000), 0)}`;
}

const eq = (random: Random): Stage => ({
  cause: "eq",
  filters: Array.from({ length: 1 + Math.floor(4 * random()) }, () => band(random)),
});

function gain(random: Random): Stage {
  const kind = random();
  const filter =
    kind < 0.6
      ? `acompressor=threshold=${some(between(random, -34, -18), 1)}dB:ratio=${some(between(random, 1.5, 10), 1)}:attack=${some(byOctaves(random, 0.5, 60), 1)}:release=${some(byOctaves(random, 30, 600), 0)}:knee=${some(between(random, 1, 8), 1)}`
      : kind < 0.8
        ? `alimiter=limit=${some(between(random, 0.15, 0.4))}:attack=${some(between(random, 1, 8), 1)}:release=${some(byOctaves(random, 30, 300), 0)}:level=0`
        : `volume='${some(between(random, 0.6, 0.9))}+${some(between(random, 0.05, 0.3))}*sin(t*${some(between(random, 0.3, 3), 1)})':eval=frame`;
  return { cause: "gainOverTime", filters: [filter] };
}

function saturation(random: Random, rateHz: number): Stage {
  const curve = `asoftclip=type=${oneOf(random, ["tanh", "atan", "cubic", "hard", "sin", "quintic"])}`;
  const drive = `volume=${some(between(random, 4, 15), 1)}dB`;
  const isFree = random() < 0.5;
  const steep = "filter_size=128:cutoff=0.98";
  const times = `aresample=${8 * rateHz}:${steep}`;
  return {
    cause: "saturation",
    filters: isFree ? [drive, times, curve, `aresample=${rateHz}:${steep}`] : [drive, curve],
    aliasing: !isFree,
  };
}

type Curve = { hertz: number[]; gainDb: (number | null)[]; errorDb: (number | null)[] };

/** The gain of filters at frequencies, from what an impulse leaves of them; without the flat part of it. */
function gainOf(filters: readonly string[], rateHz: number): (hertz: number) => number {
  const frames = 2 ** 18;
  const impulse = new Float32Array(frames);
  impulse[0] = 0.5;
  const { channels } = ffmpeg({ sampleRateHz: rateHz, channels: [impulse] }, ...filters);
  const spectrum = forwardReal(Float64Array.from(channels[0]), frames);
  return (hertz) => {
    const k = Math.round((hertz / rateHz) * frames);
    return 20 * Math.log10(2 * Math.hypot(spectrum[2 * k], spectrum[2 * k + 1]) + 1e-12);
  };
}

/** Gains of an equalizer that lie further off than their error and this (dB) are wrong, where more than a thirtieth of them do. */
const WITHIN_DB = 0.5;
const WITHIN_BESIDE_DB = 1;

function expectCurve(filters: readonly string[], rateHz: number, isAlone: boolean): Expected["check"] {
  return (cause) => {
    const { hertz, gainDb, errorDb } = cause as Named<"eq"> as Curve;
    const truth = gainOf(filters, rateHz);
    const off = hertz.flatMap((hz, i) => {
      const [found, error] = [gainDb[i], errorDb[i]];
      const there = truth(hz);
      return found === null || error === null || there < -30 ? [] : [{ hz, by: found - there, error }];
    });
    const sorted = off.map(({ by }) => by).toSorted((a, b) => a - b);
    const flat = sorted[sorted.length >> 1] ?? 0;
    const wrong = off.filter(
      ({ by, error }) => Math.abs(by - flat) > (isAlone ? WITHIN_DB : WITHIN_BESIDE_DB) + 2 * error,
    );
    if (wrong.length <= off.length / 30) return null;
    const worst = wrong.reduce((a, b) => (Math.abs(b.by - flat) > Math.abs(a.by - flat) ? b : a));
    return `${(worst.by - flat).toFixed(2)} dB off at ${worst.hz.toFixed(0)} Hz (told ± ${worst.error.toFixed(2)}), ${wrong.length} of ${off.length}`;
  };
}

type Besides = { name: string; causes: Expected["cause"][]; work: (clip: Clip) => Clip };
type Clip = Source["clip"];

const besides = (random: Random): Besides =>
  oneOf<Besides>(random, [
    { name: "width", causes: ["width"], work: (c) => ffmpeg(c, `stereotools=slev=${some(between(random, 0.6, 1.6))}`) },
    { name: "balance", causes: ["balance"], work: (c) => onSide(c, (l) => scaled(l, -between(random, 0.5, 3)), 0) },
    { name: "noise", causes: ["noise"], work: (c) => noisy(c, 10 ** (-between(random, 60, 90) / 20)) },
    { name: "dc", causes: ["dc"], work: (c) => ffmpeg(c, `dcshift=${some(between(random, 0.002, 0.02), 4)}`) },
    { name: "inverted", causes: ["polarity"], work: (c) => scaledBy(c, -1) },
    { name: "gain", causes: [], work: (c) => scaled(c, between(random, -9, 3)) },
  ]);
const scaledBy = (clip: Clip, gain: number): Clip => ({
  ...clip,
  channels: clip.channels.map((channel) => channel.map((v) => v * gain)),
});

export function randomCases(sounds: readonly Source[], count: number, seed: number): ExplainCase[] {
  const long = sounds.filter(({ clip }) => frameCount(clip) > 6 * clip.sampleRateHz);
  return Array.from({ length: count }, (_, i) => {
    // Near seeds begin alike.
    const random = seededRandom(Math.imul(seed * 1000 + i + 1, 0x9e37_79b1));
    const { name: sound, clip } = oneOf(random, long);
    const rateHz = clip.sampleRateHz;
    const isStereo = clip.channels.length > 1;
    const kinds: (() => Stage)[] = [() => eq(random), () => gain(random), () => saturation(random, rateHz)];
    const stages: Stage[] = [];
    for (let left = 1 + Math.floor(3 * random()); left > 0; left--)
      stages.push(kinds.splice(Math.floor(random() * kinds.length), 1)[0]());
    const where = isStereo && random() < 0.2 ? oneOf(random, ["left", "mid"] as const) : "both";
    const also = random() < 0.4 ? besides(random) : null;
    const isFlat = also !== null && ["width", "balance"].includes(also.name);
    const may: Expected["cause"][] = ["delay", ...(also?.causes ?? [])];
    if (where === "left") may.push("balance");
    if (where === "mid") may.push("width");
    // A limiter that works fast shapes waves as a curve does; steep changes of rate are a filter.
    if (stages.some(({ filters }) => filters[0].startsWith("alimiter"))) may.push("saturation");
    if (stages.some(({ filters }) => filters.some((f) => f.startsWith("aresample")))) may.push("eq");
    const filters = stages.flatMap((s) => s.filters);
    return {
      group: `random, ${stages.length}`,
      name: `${filters.join(" ")}${where === "both" ? "" : ` on the ${where}`}${also ? `, ${also.name}` : ""}: ${sound}`,
      make: () => {
        const dry = levelled(clip);
        const work = (c: Clip) => ffmpeg(c, ...filters);
        const done = where === "left" ? onSide(dry, work, 0) : where === "mid" ? onMid(dry, work) : work(dry);
        return { here: dry, yonder: also && (isStereo || !isFlat) ? also.work(done) : done };
      },
      truth: {
        causes: stages.map(({ cause, filters: own, aliasing }): Expected => {
          const isEq = cause === "eq";
          return {
            cause,
            ...(isFlat ? {} : { channels: where }),
            ...(cause === "gainOverTime" ? { or: ["gainInBands"] } : {}),
            ...(aliasing === undefined ? {} : { check: aliases(aliasing) }),
            ...(isEq ? { check: expectCurve(own, rateHz, stages.length === 1) } : {}),
          };
        }),
        may,
      },
    };
  });
}
