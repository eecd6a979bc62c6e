// What the bench is tried on: processors of known truth, each as it is, and with faults on the way.
import type { BenchKind } from "@/core/bench/kind/kind";
import type { ChannelFigures } from "@/core/bench/report";
import * as E from "./bench-effects";

export type BenchTruth = {
  /** What may be claimed; the first is the best answer. Saying "unknown" is withholding. */
  kinds: BenchKind[];
  polarity?: 1 | -1;
  gainDb?: number;
  /** Later than the other channel, samples. */
  delaySamples?: number;
  isSilent?: boolean;
  threshold?: number;
  ratio?: number;
  /** None unless said. */
  kneeDb?: number;
  attackMs?: number;
  releaseMs?: number;
  holdMs?: number;
  lookAheadMs?: number;
  /** Of an expander: by how much it opens for the long burst, and how long until 63 % of that are gone, from the step on. */
  opensDb?: number;
  closesMs?: number;
  /** Threshold and ratio are right where they are reported, and may be withheld. */
  isStaticCurveOpen?: boolean;
  /** No threshold and ratio may be reported. */
  noStaticCurve?: boolean;
  /** None may be reported but these. */
  bands?: { kind: ChannelFigures["fitted"][number]["kind"]; hertz: number; gainDb: number | null }[];
  thdPercent?: number;
  /** No harmonics may be reported. */
  clean?: boolean;
};

export type BenchProcessor = { name: string; group: string; process: E.Mono; truth: BenchTruth };

export const compressor = (
  t: number,
  r: number,
  a: number,
  rel: number,
  more: Parameters<typeof E.C>[4] = {},
  truth: Partial<BenchTruth> = {},
): BenchProcessor => ({
  name: `C(${t}, ${r}, ${a}, ${rel})${
    Object.keys(more).length
      ? ` ${Object.entries(more)
          .map(([k, v]) => `${k} ${typeof v === "function" ? "" : v}`)
          .join(" ")}`
      : ""
  }`,
  group: "compressors",
  process: E.C(t, r, a, rel, more),
  truth: {
    kinds: r >= 20 ? ["limiter", "compressor"] : ["compressor"],
    threshold: t,
    ratio: r,
    attackMs: a,
    releaseMs: rel,
    ...truth,
  },
});

const FITTED: Partial<Record<Parameters<typeof E.section>[0], ChannelFigures["fitted"][number]["kind"]>> = {
  bell: "bell",
  lowShelf: "low shelf",
  highShelf: "high shelf",
  lowCut: "low cut",
  highCut: "high cut",
};

export const bands = (...list: [Parameters<typeof E.section>[0], number, number, number][]): BenchProcessor => ({
  name: list.map(([kind, hertz, gain, q]) => `${kind} ${hertz} ${gain} ${q}`).join(", "),
  group: "equalizers",
  process: E.eq(...list),
  truth: {
    kinds: ["equalizer"],
    clean: true,
    bands: list.map(([kind, hertz, gainDb]) => ({
      kind: FITTED[kind] ?? "bell",
      hertz,
      gainDb: kind.endsWith("Cut") ? null : gainDb,
    })),
  },
});

const plainOnes = (): BenchProcessor[] => [
  {
    name: "wire",
    group: "linear",
    process: E.wire,
    truth: { kinds: ["wire"], gainDb: 0, clean: true, polarity: 1 },
  },
  {
    name: "−3 dB",
    group: "linear",
    process: E.gain(-3),
    truth: { kinds: ["wire"], gainDb: -3, clean: true },
  },
  {
    name: "inverted",
    group: "linear",
    process: E.shape((v) => -v),
    truth: { kinds: ["wire"], polarity: -1, clean: true },
  },
  {
    name: "100 late",
    group: "linear",
    process: E.late(100),
    truth: { kinds: ["wire"], delaySamples: 100, clean: true },
  },
  { name: "muted", group: "linear", process: (x) => x.map(() => 0), truth: { kinds: ["unknown"], isSilent: true } },
  {
    name: "all-pass 500",
    group: "linear",
    process: E.eq(["allPass", 500, 0, 0.7]),
    truth: { kinds: ["allPass"], clean: true },
  },
  {
    name: "crossover 200, 3000",
    group: "linear",
    process: E.split([200, 3000], [E.wire, E.wire, E.wire]),
    truth: { kinds: ["allPass"], clean: true },
  },
  bands(["bell", 1000, 6, 1]),
  bands(["bell", 140, 3, 0.8], ["bell", 3000, -4, 2]),
  bands(["bell", 60, -6, 4]),
  bands(["bell", 12_000, 5, 0.7]),
  bands(["lowShelf", 150, 4, 0.7]),
  bands(["highShelf", 6000, -5, 0.7]),
  bands(["lowCut", 80, 0, 0.71]),
  bands(["highCut", 9000, 0, 0.71]),
  bands(["lowCut", 40, 0, 0.71], ["bell", 400, -3, 1.2], ["highShelf", 9000, 2.5, 0.7]),
  bands(["bell", 2500, 1, 1]),
  bands(["bell", 700, -12, 6]),
];

const dynamics = (): BenchProcessor[] => [
  compressor(-30, 20, 1, 50),
  compressor(-30, 20, 0, 5),
  compressor(-30, 20, 0, 10),
  compressor(-30, 4, 80, 300),
  compressor(-30, 4, 150, 500),
  compressor(-33, 3, 10, 300),
  compressor(-30, 4, 40, 300),
  compressor(-30, 4, 5, 100),
  compressor(-20, 2, 10, 100),
  compressor(-24, 8, 0.5, 60),
  compressor(-35, 3, 20, 200),
  compressor(-30, 4, 10, 100, { knee: 12 }, { kneeDb: 12 }),
  compressor(-25, 4, 10, 100, { makeup: 8 }),
  compressor(-30, 4, 5, 100, { rms: 20 }, { attackMs: 11.64, releaseMs: 144.6 }),
  compressor(
    -30,
    6,
    10,
    120,
    { feedback: true },
    // 1 / ratio of a feedback design is (1 + R) / 2R lower: the loop is quicker by as much.
    { threshold: -30, ratio: 11 / 6, attackMs: 5.45, releaseMs: 120 },
  ),
  compressor(-28, 4, 5, 80, { hold: 30 }, { holdMs: 30 }),
  compressor(-28, 4, 5, 80, { lookAhead: 3 }, { attackMs: 5, releaseMs: 80, lookAheadMs: 3 }),
  compressor(
    -30,
    8,
    5,
    100,
    { mix: 0.5 },
    { noStaticCurve: true, threshold: undefined, ratio: undefined, attackMs: 3.25, releaseMs: 139.6 },
  ),
  compressor(-20, 100, 0, 60, { lookAhead: 2 }, { attackMs: undefined, releaseMs: 60, lookAheadMs: 2 }),
  compressor(-18, 100, 0.05, 200),
  compressor(
    -30,
    4,
    10,
    100,
    { sidechain: E.eq(["lowCut", 300, 0, 0.71]) },
    { threshold: -31.6, ratio: 4, attackMs: 14, releaseMs: 100 },
  ),
  {
    name: "expander 2:1",
    group: "expanders",
    process: E.expander({ threshold: -35, ratio: 2, range: 40, attack: 1, release: 100 }),
    truth: { kinds: ["expander", "gate"], threshold: -35, ratio: 2, closesMs: 161, opensDb: 7 },
  },
  {
    name: "expander 3:1",
    group: "expanders",
    process: E.expander({ threshold: -40, ratio: 3, range: 20, attack: 3, release: 60 }),
    truth: { kinds: ["expander", "gate"], threshold: -40, ratio: 3, closesMs: 127, opensDb: 4 },
  },
  {
    name: "gate",
    group: "expanders",
    process: E.expander({ threshold: -40, ratio: 50, range: 60, attack: 0.5, release: 80 }),
    truth: {
      kinds: ["gate", "expander"],
      threshold: -40,
      ratio: 50,
      isStaticCurveOpen: true,
      closesMs: 145,
      opensDb: 60,
    },
  },
  {
    name: "gate with hold",
    group: "expanders",
    process: E.expander({ threshold: -45, ratio: 30, range: 40, attack: 1, release: 150, hold: 50 }),
    truth: {
      kinds: ["gate", "expander"],
      threshold: -45,
      ratio: 30,
      isStaticCurveOpen: true,
      closesMs: 276,
      opensDb: 40,
    },
  },
  {
    name: "de-esser, split",
    group: "bands",
    process: E.deEsser(5000, { threshold: -35, ratio: 4, attack: 1, release: 60 }, true),
    truth: { kinds: ["deEsser", "multiband", "dynamicEq"], noStaticCurve: true },
  },
  {
    name: "de-esser, wide",
    group: "bands",
    process: E.deEsser(5000, { threshold: -35, ratio: 4, attack: 1, release: 60 }, false),
    truth: { kinds: ["deEsser"], noStaticCurve: true },
  },
  {
    name: "two bands, 3 and 10 ms",
    group: "bands",
    process: E.split([1500], [E.C(-35, 4, 10, 150), E.C(-35, 3, 3, 80)]),
    truth: { kinds: ["multiband"], noStaticCurve: true },
  },
  {
    name: "three bands",
    group: "bands",
    process: E.split([200, 3000], [E.C(-35, 3, 20, 200), E.C(-30, 2, 10, 100), E.C(-35, 4, 2, 60)]),
    truth: { kinds: ["multiband"], noStaticCurve: true },
  },
  {
    name: "low band alone",
    group: "bands",
    process: E.split([250], [E.C(-35, 4, 10, 150), E.wire]),
    truth: { kinds: ["multiband", "dynamicEq"], noStaticCurve: true },
  },
  {
    name: "dynamic bell 3 kHz",
    group: "bands",
    process: E.dynamicBell(3000, 1.5, { threshold: -35, ratio: 4, attack: 5, release: 80 }),
    truth: { kinds: ["dynamicEq", "deEsser", "multiband"], noStaticCurve: true },
  },
];

export const saturator = (name: string, process: E.Mono, truth: Partial<BenchTruth> = {}): BenchProcessor => ({
  name,
  group: "saturators",
  process,
  truth: { kinds: ["saturator", "clipper"], noStaticCurve: true, ...truth },
});

const nonlinear = (): BenchProcessor[] => {
  return [
    saturator(
      "tanh 8",
      E.shape((v) => Math.tanh(8 * v) / 8),
    ),
    saturator(
      "tanh 6",
      E.shape((v) => Math.tanh(6 * v) / 6),
    ),
    saturator("tanh 1", E.shape(Math.tanh)),
    saturator(
      "biased",
      E.shape((v) => (Math.tanh(3 * v + 0.4) - Math.tanh(0.4)) / 3),
    ),
    saturator(
      "quadratic",
      E.shape((v) => v + 0.2 * v * v),
    ),
    saturator(
      "cubic",
      E.shape((v) => v - 0.3 * v ** 3),
    ),
    saturator(
      "arctan",
      E.shape((v) => Math.atan(5 * v) / 5),
    ),
    saturator(
      "clip 0.1",
      E.shape((v) => Math.max(-0.1, Math.min(0.1, v))),
      { kinds: ["clipper", "saturator"] },
    ),
    saturator(
      "clip 0.2",
      E.shape((v) => Math.max(-0.2, Math.min(0.2, v))),
      { kinds: ["clipper", "saturator"] },
    ),
    saturator("cubic of the lows", E.split([300], [E.shape((v) => v - 3 * v ** 3), E.wire]), {
      kinds: ["saturator", "clipper", "unknown"],
    }),
    saturator(
      "tanh behind a bell",
      E.chain(
        E.eq(["bell", 800, 6, 1]),
        E.shape((v) => Math.tanh(4 * v) / 4),
      ),
      { bands: [{ kind: "bell", hertz: 800, gainDb: 6 }] },
    ),
    saturator(
      "tanh before a low-pass",
      E.chain(
        E.shape((v) => Math.tanh(4 * v) / 4),
        E.eq(["highCut", 7000, 0, 0.7]),
      ),
      { bands: [{ kind: "high cut", hertz: 7000, gainDb: null }] },
    ),
    saturator(
      "dead zone",
      E.shape((v) => Math.sign(v) * Math.max(0, Math.abs(v) - 0.01)),
      { kinds: ["saturator", "unknown"] },
    ),
    {
      name: "8 bits",
      group: "others",
      process: E.shape((v) => Math.round(v * 128) / 128),
      truth: { kinds: ["unknown", "coder", "saturator", "clipper"], noStaticCurve: true },
    },
    {
      name: "tremolo",
      group: "others",
      process: E.tremolo(5, 0.3),
      truth: { kinds: ["timeVarying"], noStaticCurve: true },
    },
    {
      name: "slow tremolo",
      group: "others",
      process: E.tremolo(0.7, 0.2),
      truth: { kinds: ["timeVarying"], noStaticCurve: true },
    },
    {
      name: "chorus",
      group: "others",
      process: E.moved((t) => 0.008 + 0.002 * Math.sin(2 * Math.PI * 0.8 * t), 0.5),
      truth: { kinds: ["timeVarying"], noStaticCurve: true },
    },
    {
      name: "echo",
      group: "others",
      process: (x, rate) => x.map((v, i) => v + 0.4 * (x[i - Math.round(0.25 * rate)] ?? 0)),
      truth: { kinds: ["unknown"], noStaticCurve: true, clean: true },
    },
  ];
};

const chains = (): BenchProcessor[] => [
  {
    name: "bell, compressor",
    group: "chains",
    process: E.chain(E.eq(["bell", 3000, 4, 1]), E.C(-30, 4, 10, 100)),
    truth: {
      kinds: ["compressor"],
      threshold: -32.4,
      ratio: 4,
      attackMs: 11.7,
      releaseMs: 100,
      bands: [{ kind: "bell", hertz: 3000, gainDb: 4 }],
    },
  },
  {
    name: "low cut, compressor, shelf",
    group: "chains",
    process: E.chain(E.eq(["lowCut", 60, 0, 0.7]), E.C(-28, 3, 15, 150), E.eq(["highShelf", 8000, 3, 0.7])),
    truth: {
      kinds: ["compressor"],
      threshold: -28.5,
      ratio: 3,
      attackMs: 16,
      releaseMs: 150,
      bands: [
        { kind: "low cut", hertz: 60, gainDb: null },
        { kind: "high shelf", hertz: 8000, gainDb: 3 },
      ],
    },
  },
  {
    name: "compressor, tanh",
    group: "chains",
    process: E.chain(
      E.C(-30, 4, 10, 100),
      E.shape((v) => Math.tanh(2 * v) / 2),
    ),
    truth: { kinds: ["compressor"], threshold: -30, ratio: 4, attackMs: 9.8, releaseMs: 99.7 },
  },
  {
    name: "tanh, compressor",
    group: "chains",
    process: E.chain(
      E.shape((v) => Math.tanh(2 * v) / 2),
      E.C(-30, 3, 20, 200),
    ),
    truth: { kinds: ["compressor"], threshold: -30, ratio: 3, isStaticCurveOpen: true, attackMs: 18.8, releaseMs: 188 },
  },
  {
    name: "compressor, limiter",
    group: "chains",
    process: E.chain(E.C(-30, 2, 20, 200), E.C(-24, 100, 0, 50)),
    truth: { kinds: ["compressor", "limiter"], noStaticCurve: true },
  },
];

export const benchProcessors = (): BenchProcessor[] => [...plainOnes(), ...dynamics(), ...nonlinear(), ...chains()];
