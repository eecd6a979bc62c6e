// More processors of known truth, drawn wider than the first ones: to the ends of what equalizers, compressors and curves are set to.
import { type BenchProcessor, bands, compressor, saturator } from "./bench-cases";
import * as E from "./bench-effects";

const equalizers = (): BenchProcessor[] => [
  bands(["bell", 30, 6, 1]),
  bands(["bell", 100, -3, 0.5]),
  bands(["bell", 250, 2, 3]),
  bands(["bell", 500, 9, 0.7]),
  bands(["bell", 1500, -1.5, 2]),
  bands(["bell", 4000, 4, 8]),
  bands(["bell", 8000, -6, 1]),
  bands(["lowShelf", 60, 6, 0.7]),
  bands(["lowShelf", 400, -3, 0.7]),
  bands(["highShelf", 2000, 3, 0.7]),
  bands(["highShelf", 10_000, 6, 0.7]),
  bands(["lowCut", 30, 0, 0.71]),
  bands(["lowCut", 250, 0, 0.71]),
  bands(["highCut", 4000, 0, 0.71]),
  bands(["highCut", 14_000, 0, 0.71]),
  bands(["lowShelf", 100, 3, 0.7], ["highShelf", 8000, 3, 0.7]),
  bands(["bell", 80, 4, 1], ["bell", 900, -4, 1], ["bell", 5000, 4, 1]),
  bands(["lowCut", 60, 0, 0.71], ["highCut", 12_000, 0, 0.71]),
];

const levellers = (): BenchProcessor[] => [
  compressor(-18, 2, 1, 30),
  compressor(-20, 3, 30, 80),
  compressor(-24, 1.5, 10, 100),
  compressor(-26, 6, 2, 40),
  compressor(-28, 2.5, 5, 200),
  compressor(-32, 10, 3, 120),
  compressor(-35, 2, 20, 60),
  compressor(-40, 3, 10, 150),
  compressor(-22, 5, 0.2, 25),
  compressor(-30, 3, 60, 400),
  compressor(-25, 4, 10, 100, { knee: 6 }, { kneeDb: 6 }),
  compressor(-30, 2, 15, 90, { makeup: 4 }),
  compressor(-24, 100, 0, 30, { lookAhead: 1 }, { attackMs: undefined, releaseMs: 30, lookAheadMs: 1 }),
  compressor(-15, 100, 0.1, 100),
  {
    name: "expander 1.5:1",
    group: "expanders",
    process: E.expander({ threshold: -30, ratio: 1.5, range: 30, attack: 2, release: 120 }),
    truth: { kinds: ["expander", "gate"], threshold: -30, ratio: 1.5, closesMs: 174, opensDb: 6 },
  },
  {
    name: "gate, fast",
    group: "expanders",
    process: E.expander({ threshold: -38, ratio: 30, range: 40, attack: 0.2, release: 30 }),
    truth: {
      kinds: ["gate", "expander"],
      threshold: -38,
      ratio: 30,
      isStaticCurveOpen: true,
      closesMs: 91,
      opensDb: 40,
    },
  },
];

const curves = (): BenchProcessor[] => [
  saturator(
    "tanh 3",
    E.shape((v) => Math.tanh(3 * v) / 3),
  ),
  saturator(
    "tanh 15",
    E.shape((v) => Math.tanh(15 * v) / 15),
  ),
  saturator(
    "arctan 2",
    E.shape((v) => Math.atan(2 * v) / 2),
  ),
  saturator(
    "soft knee",
    E.shape((v) => v / (1 + Math.abs(3 * v))),
  ),
  saturator(
    "clip 0.05",
    E.shape((v) => Math.max(-0.05, Math.min(0.05, v))),
  ),
  saturator(
    "half wave",
    E.shape((v) => (v > 0 ? v : 0.7 * v)),
  ),
  saturator(
    "quintic",
    E.shape((v) => v - 0.5 * v ** 5),
  ),
  saturator(
    "even and odd",
    E.shape((v) => v + 0.1 * v * v - 0.2 * v ** 3),
  ),
  saturator(
    "tanh, inverted",
    E.shape((v) => -Math.tanh(5 * v) / 5),
    { polarity: -1 },
  ),
  saturator(
    "tanh behind a low cut",
    E.chain(
      E.eq(["lowCut", 120, 0, 0.71]),
      E.shape((v) => Math.tanh(4 * v) / 4),
    ),
    { bands: [{ kind: "low cut", hertz: 120, gainDb: null }] },
  ),
];

const others = (): BenchProcessor[] => [
  {
    name: "+6 dB",
    group: "linear",
    process: E.gain(6),
    truth: { kinds: ["wire"], gainDb: 6, clean: true },
  },
  {
    name: "1,000 late, inverted",
    group: "linear",
    process: E.chain(
      E.late(1000),
      E.shape((v) => -v),
    ),
    truth: { kinds: ["wire"], polarity: -1, clean: true, delaySamples: 1000 },
  },
  {
    name: "two all-passes",
    group: "linear",
    process: E.eq(["allPass", 200, 0, 0.7], ["allPass", 2000, 0, 0.7]),
    truth: { kinds: ["allPass"], clean: true },
  },
  {
    name: "deep tremolo",
    group: "others",
    process: E.tremolo(3, 0.8),
    truth: { kinds: ["timeVarying"], noStaticCurve: true },
  },
  {
    name: "vibrato",
    group: "others",
    process: E.moved((t) => 0.005 + 0.001 * Math.sin(2 * Math.PI * 5 * t)),
    truth: { kinds: ["timeVarying", "unknown"], noStaticCurve: true },
  },
];

export const moreProcessors = (): BenchProcessor[] => [...equalizers(), ...levellers(), ...curves(), ...others()];
