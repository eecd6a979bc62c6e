import { describe, expect, it } from "vitest";
import { benchChain } from "../bench/bench";
import { type BenchReport, reportOfChannel } from "../bench/report";
import { SMALL_FORM } from "../testing/bench";
import {
  aliasingWords,
  besideWords,
  harmonicsWords,
  latencyWords,
  levelsWords,
  magnitudeWords,
  phaseWords,
  responseDifferenceWords,
  sidechainWords,
  sidesWords,
  staticCurveWords,
  timesWords,
  viewSentence,
} from "./bench-views";

const spaced = (text: string) => text.replaceAll("\u2009", " ");
const equalizer = benchChain(
  [
    {
      processorKey: "bilinear-equalizer",
      settings: { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] },
    },
  ],
  SMALL_FORM,
);
const gain = benchChain([{ processorKey: "gain", settings: { gainDb: -3 } }], SMALL_FORM);
const compressor = benchChain(
  [
    {
      processorKey: "feed-forward-compressor",
      settings: { thresholdDb: -30, ratio: 4, kneeDb: 0, attackMs: 5, releaseMs: 100 },
    },
  ],
  SMALL_FORM,
);

/** The same report as noise would have it, of so many decibels of standard deviation. */
function inNoise(report: BenchReport, errorDb: number): BenchReport {
  const { response } = report;
  return {
    ...report,
    response: {
      ...response,
      magnitudeDb: response.magnitudeDb.map((db, i) => db + 2 * errorDb * Math.sin(i)),
      errorDb: response.errorDb.map(() => errorDb),
    },
  };
}
const withheld = (report: BenchReport, figure: BenchReport["withheld"][number]["figure"]): BenchReport => ({
  ...report,
  withheld: [{ figure, channel: null, reason: "unsteady" }],
});

describe("what a view says of a response", () => {
  it("is flat, how far it spans, or that noise hides it", () => {
    expect(spaced(magnitudeWords(gain))).toBe("flat within 0.01 dB");
    expect(spaced(magnitudeWords(equalizer))).toMatch(/^spans 6\.\d dB$/);
    expect(spaced(magnitudeWords(inNoise(gain, 0.5)))).toBe("no change above noise (±2.5 dB)");
    expect(spaced(magnitudeWords(inNoise(equalizer, 0.2)))).toMatch(/^spans [45]\.\d dB or more above noise$/);
    expect(spaced(magnitudeWords(inNoise(equalizer, 0.7)))).toBe("no change above noise (±3.5 dB)");
    expect(magnitudeWords(withheld(gain, "response"))).toBe("response not known: changes over time");
  });

  it("differs where noise cannot have made it, with its error", () => {
    expect(spaced(responseDifferenceWords(gain, equalizer))).toMatch(/^\+9\.0\d dB at (99\d Hz|1(\.0\d)? kHz)$/);
    expect(spaced(responseDifferenceWords(gain, gain))).toBe("same within 0.01 dB");
    expect(spaced(responseDifferenceWords(gain, inNoise(gain, 0.5)))).toBe("no difference above noise (±2.5 dB)");
    expect(spaced(responseDifferenceWords(gain, inNoise(equalizer, 0.3)))).toMatch(/^\+\d\.\d\d ±0\.60 dB at /);
  });

  it("changes with level in a compressor and in no equalizer", () => {
    expect(spaced(levelsWords(compressor))).toMatch(/^at −12 dBFS −1\d\.\d\d( ±0\.\d\d)? dB at .* re −\d\d dBFS$/);
    expect(spaced(levelsWords(equalizer))).toMatch(/^same at \d levels within 0\.0\d dB$/);
    const [quiet, ...louder] = equalizer.levels;
    const moved = {
      ...quiet,
      magnitudeDb: quiet.magnitudeDb.map((db, i) => db + 0.8 * Math.sin(i)),
      errorDb: quiet.magnitudeDb.map(() => 0.4),
    };
    const noisy = { ...equalizer, levels: [moved, ...louder] };
    expect(spaced(levelsWords(noisy))).toMatch(/^no change with level above noise \(±\d+\.\d dB\)$/);
    const earlier = equalizer.levels.map(({ errorDb: _, ...level }) => level);
    expect(levelsWords({ ...equalizer, levels: earlier })).toBe(
      "change with level not known: measured by an earlier version",
    );
    expect(levelsWords({ ...equalizer, kind: { ...equalizer.kind, name: "coder" } })).toBe(
      "change with level not known: coded",
    );
    expect(levelsWords({ ...equalizer, levels: louder.slice(-1) })).toBe("response at one level only");
  });

  it("compares sides where there are two that sound", () => {
    const both = { ...gain, rightOverLeftDb: gain.response.hertz.map(() => 0) };
    expect(spaced(sidesWords(gain))).toBe("one channel: no R/L balance");
    expect(spaced(sidesWords(both))).toBe("R/L balance: same within 0.01 dB");
    const noisy = { ...inNoise(gain, 0.3), rightOverLeftDb: gain.response.hertz.map((_, i) => 0.6 * Math.sin(i)) };
    expect(spaced(sidesWords(noisy))).toMatch(/^R\/L balance: no difference above noise/);
    const bright = { ...gain, rightOverLeftDb: gain.response.hertz.map((hz) => (hz > 2000 ? 2 : 0)) };
    expect(spaced(sidesWords(bright))).toMatch(/^R\/L balance: \+2\.00 dB at 2/);
    const silent: BenchReport["channels"] = [
      { channel: "left", differs: [], delaySamples: 0, figures: null },
      { channel: "right", differs: ["silent"], delaySamples: null, figures: gain },
    ];
    expect(sidesWords({ ...both, channels: silent })).toBe("right is silent");
    // A gain on its way, which differs along two sweeps though both sides have the same.
    const alike: BenchReport["channels"] = [silent[0], { ...silent[1], differs: [], delaySamples: 0, figures: null }];
    const moving = { ...compressor, channels: alike, rightOverLeftDb: bright.rightOverLeftDb };
    expect(sidesWords(moving)).toBe("R/L balance: no difference");
  });

  it("is of a phase and a latency that are known, or says why not", () => {
    expect(phaseWords(equalizer)).toBe("minimum phase");
    expect(phaseWords(withheld({ ...equalizer, phaseKind: "unknown" }, "phase"))).toBe(
      "phase not known: changes over time",
    );
    expect(spaced(latencyWords({ ...gain, latencySamples: 64, latencyErrorSamples: 0.02 }))).toBe(
      "latency 64.00 ±0.04 samples",
    );
    const unknown: BenchReport = {
      ...gain,
      latencySamples: null,
      withheld: [{ figure: "latency", channel: null, reason: "noReference" }],
    };
    expect(latencyWords(unknown)).toBe("latency not known: no loop-back to compare");
  });
});

describe("what a view says of dynamics and harmonics", () => {
  it("is what was measured", () => {
    expect(spaced(staticCurveWords(compressor))).toMatch(/^threshold −30\.0( ±0\.\d)? dBFS, ratio 4\.0:1/);
    expect(spaced(timesWords(compressor))).toMatch(/^1\d\.\d dB, attack [45]\.\d/);
    expect(besideWords(compressor)).toBe("the whole band changes alike");
    expect(besideWords(equalizer)).toBe("no change near a tone above noise");
    expect(staticCurveWords(equalizer)).toBe("gain does not change with level");
    expect(harmonicsWords(gain)).toContain("no harmonics above noise at −12");
    expect(aliasingWords(gain)).toBe("no aliasing above noise");
    expect(spaced(sidechainWords({ ...gain, key: null }))).toBe("no sidechain input");
  });

  it("is never an absence where a figure is withheld, or no tone stood out of noise", () => {
    expect(harmonicsWords(withheld(gain, "harmonics"))).toBe("harmonics not known: changes over time");
    expect(aliasingWords(withheld(gain, "aliasing"))).toBe("aliasing not known: changes over time");
    expect(timesWords(withheld({ ...compressor, times: null }, "times"))).toBe(
      "attack and release not known: changes over time",
    );
    expect(besideWords(withheld(compressor, "besideTone"))).toBe("change near a tone not known: changes over time");
    const { moves } = compressor;
    const hidden = moves.tones.map((tone) => ({ ...tone, changeDb: tone.changeDb.map(() => null) }));
    expect(besideWords({ ...compressor, moves: { ...moves, kind: "none", tones: hidden } })).toBe(
      "change near a tone not known: no quiet tone above noise",
    );
  });

  it("names as many processors as it has room for, and how many more there are", () => {
    const three = ["A", "B", "C"].map((title) => ({ title, report: gain }));
    expect(viewSentence(three, 2, phaseWords)).toBe("A: no phase shift; B: no phase shift; 1 more");
    expect(viewSentence(three, 3, phaseWords)).not.toContain("more");
  });
});

describe("the figures of one channel", () => {
  const channels: BenchReport["channels"] = [
    { channel: "left", differs: [], delaySamples: 0, figures: null },
    { channel: "right", differs: ["kind"], delaySamples: 0, figures: { ...compressor, times: null } },
  ];
  const report: BenchReport = {
    ...gain,
    channels,
    withheld: [
      { figure: "harmonics", channel: "left", reason: "unsteady" },
      { figure: "times", channel: "right", reason: "noise" },
    ],
  };

  it("come with what is withheld of that channel, not of the other", () => {
    const right = reportOfChannel(report, "right");
    expect(timesWords(right)).toBe("attack and release not known: hidden by noise");
    expect(harmonicsWords(right)).not.toContain("not known");
    expect(harmonicsWords(report)).toContain("not known");
  });

  it("are those of the first where the channel is silent", () => {
    const silent: BenchReport = { ...report, channels: [channels[0], { ...channels[1], differs: ["silent"] }] };
    expect(reportOfChannel(silent, "right")).toBe(silent);
  });
});
