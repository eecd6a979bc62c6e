import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { seededRandom } from "../audio/random";
import { soundOf } from "../audio/sound";
import { sentSignal, through } from "../testing/bench";
import { benchChain, benchRecording } from "./bench";
import { measurementOfVersion2 } from "./earlier-reports";
import { proposedCandidate } from "./propose-candidate";
import { withReference } from "./reference";
import { type BenchReport, benchReportSchema, reportOfChannel } from "./report";

const { signal } = sentSignal({ sampleRateHz: 8000 });
const [left, right] = signal.channels;
const measured = (channels: Float32Array[], file = "back.wav"): BenchReport => {
  const clip: Clip = { sampleRateHz: 8000, channels };
  const outcome = benchRecording(file, soundOf(clip));
  if (!outcome.ok) throw new Error(outcome.reason);
  return outcome.value;
};
const later = (channel: Float32Array, frames: number) => channel.map((_, i) => (i >= frames ? channel[i - frames] : 0));
const of = (report: BenchReport, name: "right" | "side") => report.channels.find(({ channel }) => channel === name);

describe("what is done to the right channel alone", () => {
  it("is told of that one: level, polarity, delay, silence, harmonics, and the left is a wire", () => {
    const cases: [Float32Array, string[]][] = [
      [right.map((v) => 0.5 * v), ["gain"]],
      [right.map((v) => -v), ["polarity"]],
      [later(right, 100), ["delay"]],
      [right.map(() => 0), ["silent"]],
      [right.map((v) => Math.tanh(8 * v) / 8), ["harmonics", "kind"]],
    ];
    for (const [channel, differs] of cases) {
      const report = measured([left, channel]);
      expect(report.kind.name).toBe("wire");
      expect(report.harmonics[0].thdPercent ?? 0).toBeLessThan(0.001);
      expect(of(report, "right")?.differs).toEqual(expect.arrayContaining(differs));
      expect(report.sentences.some((sentence) => sentence.startsWith("Right:"))).toBe(true);
      expect(benchReportSchema.safeParse(JSON.parse(JSON.stringify(report))).success).toBe(true);
    }
    const late = measured([left, later(right, 100)]);
    expect(of(late, "right")?.delaySamples).toBeCloseTo(100, 2);
    expect(reportOfChannel(measured([left, right.map((v) => -v)]), "right").polarity).toBe(-1);
  });

  it("is silence of the left where the left is silent, and figures are the right's", () => {
    const report = measured([left.map(() => 0), right.map((v) => -0.5 * v)]);
    expect(report.channels.map(({ channel, differs }) => [channel, differs])).toEqual([
      ["right", []],
      ["left", ["silent"]],
    ]);
    const words = report.sentences.join(" ").replaceAll("\u2009", " ");
    expect(words).toContain("Left: silent.");
    expect(words).toContain("Polarity inverted (right)");
    expect(words).not.toMatch(/Right: silent|Mid|Side|Crosstalk/);
    expect(report).toMatchObject({ polarity: -1, crosstalkDb: null });
    expect(report.gainDbAt1k).toBeCloseTo(-6.02, 1);
  });

  it("is no loss, no drift and no delay of the other, where its delay moves by itself", () => {
    // A vibrato of 4 Hz, 20 samples deep, read between samples in a straight line.
    const vibrato = right.map((_, i) => {
      const at = i - 40 - 20 * Math.sin((2 * Math.PI * 4 * i) / 8000);
      const whole = Math.floor(at);
      const value = (k: number) => right[k] ?? 0;
      return value(whole) + (at - whole) * (value(whole + 1) - value(whole));
    });
    const report = measured([left, vibrato]);
    expect(report.integrity).toEqual([]);
    expect(report.clockPpm).toBe(0);
    expect(report.kind.name).toBe("wire");
    expect(of(report, "right")?.figures?.kind.name).toBe("timeVarying");
    expect(of(report, "right")?.differs).not.toContain("delay");
    expect(report.sentences.join(" ")).not.toMatch(/Lost|Repeated|delay \+|inverted|linked|Right: THD/);
  });

  it("is no delay where it is a filter: what lies beyond half the rate leaves that open", () => {
    // Two poles at 0.35 of half the rate, as of a steep low-pass (cookbook, Q 0.71).
    const w = 0.35 * Math.PI;
    const [alpha, c] = [Math.sin(w) / Math.SQRT2, Math.cos(w)];
    let [s1, s2] = [0, 0];
    const filtered = right.map((v) => {
      const out = (((1 - c) / 2) * v + s1) / (1 + alpha);
      s1 = (1 - c) * v + 2 * c * out + s2;
      s2 = ((1 - c) / 2) * v - (1 - alpha) * out;
      return out;
    });
    const report = measured([left, filtered]);
    expect(of(report, "right")?.differs).toContain("response");
    expect(of(report, "right")?.differs).not.toContain("delay");
    expect(of(report, "right")?.figures?.latencyErrorSamples ?? 0).toBeGreaterThan(report.latencyErrorSamples);
  });

  it("is bands of the one where noise hides the other's, and never bands of both", () => {
    const random = seededRandom(7);
    const noisy = (channel: Float32Array) => channel.map((v) => v + 0.06 * (random() - 0.5));
    const shelf = { kind: "high shelf", frequencyHz: 2500, gainDb: 3, q: 0.7 };
    const boosted = through(signal, "bilinear-equalizer", { bands: [shelf] }).channels[0];
    const report = measured([noisy(boosted), noisy(right)]);
    expect(of(report, "right")?.differs).toContain("response");
    expect(report.sentences.join(" ")).toMatch(/Left: EQ: high shelf 2\.\d+ ±0\.\d+\u2009kHz \+\d\.\d ±\d\.\d\u2009dB/);
    expect(report.sentences.join(" ")).not.toMatch(/(^|\. )EQ/);
  });

  it("is no delay where the other one has a small shelf, whose phase looks like one", () => {
    const shelf = { kind: "high shelf", frequencyHz: 2500, gainDb: 2, q: 0.7 };
    const boosted = through(signal, "bilinear-equalizer", { bands: [shelf] }).channels[0];
    for (const amplitude of [0, 0.012]) {
      const random = seededRandom(7);
      const noisy = (channel: Float32Array) => channel.map((v) => v + amplitude * (random() - 0.5));
      const report = measured([noisy(boosted), noisy(right)]);
      expect(of(report, "right")?.differs).not.toContain("delay");
    }
  });

  it("is nothing where both are alike", () => {
    const report = measured([left, right]);
    expect(report.channels.map(({ channel, differs }) => [channel, differs])).toEqual([
      ["left", []],
      ["right", []],
    ]);
    expect(report.sentences.join(" ")).not.toMatch(/Right|Left:/);
  });

  it("is read apart in mid and side", () => {
    const report = benchChain(
      [
        {
          processorKey: "bilinear-equalizer",
          settings: { route: "side", bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] },
        },
      ],
      { sampleRateHz: 16_000, levelDbfs: -12, channelCount: 2 },
    );
    expect(of(report, "side")?.differs).toContain("response");
    const side = reportOfChannel(report, "side");
    expect(side.fitted).toEqual([expect.objectContaining({ kind: "bell", gainDb: expect.closeTo(6, 1) })]);
    expect(reportOfChannel(report, "mid").fitted).toEqual([]);
  });
});

describe("a loop-back", () => {
  it("takes its delay, response and polarity off, and is refused where another signal was sent", () => {
    const loop = measured([later(left, 320), later(right, 320)].map((c) => c.map((v) => -0.5 * v)));
    const unit = measured([later(left, 365), later(right, 365)].map((c) => c.map((v) => -0.25 * v)));
    expect([loop.latencySamples, unit.latencySamples]).toEqual([null, null]);
    const without = withReference(unit, { title: "Loop", report: loop });
    if (!without.ok) throw new Error(without.reason);
    expect(without.value.latencySamples).toBeCloseTo(45, 2);
    expect(without.value).toMatchObject({ polarity: 1, fitted: [] });
    expect(without.value.gainDbAt1k).toBeCloseTo(-6.02, 1);
    expect(without.value.sentences.join(" ")).toMatch(/Latency 45\u2009samples/);
    // Noise that is the loop's own is withheld, and is no silence.
    const hiss = { ...unit, noiseFloorDbfs: -80 };
    const quiet = withReference(hiss, { title: "Loop", report: { ...loop, noiseFloorDbfs: -80 } });
    if (!quiet.ok) throw new Error(quiet.reason);
    expect(quiet.value.noiseFloorDbfs).toBeNull();
    expect(quiet.value.withheld).toContainEqual({ figure: "noise", channel: null, reason: "loopBack" });
    const other = { ...loop, signal: { ...loop.signal, levelDbfs: -20 } };
    expect(withReference(unit, { title: "Loop", report: other })).toMatchObject({
      ok: false,
      reason: expect.stringMatching(/^Loop holds another test signal/),
    });
  });
});

describe("a recording that may belong to a candidate", () => {
  const candidates = [
    { id: "eq", title: "EQ warm", kind: "equalizer" as const },
    { id: "comp", title: "Comp", kind: "compressor" as const },
  ];
  const kind = (name: BenchReport["kind"]["name"]) => ({
    kind: { name, confidence: 1, residualDb: null, gainErrorDb: null },
  });
  it("is proposed by its name, or by what it measures, and not at all where nothing speaks for one", () => {
    expect(proposedCandidate("Comp_back.wav", kind("compressor"), candidates)).toEqual({
      candidateId: "comp",
      byName: true,
      byKind: true,
    });
    expect(proposedCandidate("EQ_warm-back.wav", kind("unknown"), candidates)).toMatchObject({
      candidateId: "eq",
      byName: true,
    });
    expect(proposedCandidate("take 4.wav", kind("equalizer"), candidates)).toEqual({
      candidateId: "eq",
      byName: false,
      byKind: true,
    });
    expect(proposedCandidate("take 4.wav", kind("wire"), candidates)).toBeNull();
    expect(proposedCandidate("take 4.wav", kind("wire"), [])).toBeNull();
  });
});

describe("a measurement of the first version", () => {
  it("is one of today that read the left channel and told no kind", () => {
    const {
      kind: _,
      channels: __,
      integrity: ___,
      withheld: ____,
      arrivalSamples: _____,
      bandCurves: ______,
      ...old
    } = measured([left, right]);
    const row = measurementOfVersion2({
      id: "m",
      report: { ...old, schema: "yonder-pair/bench@1", latencySamples: 3 },
    });
    expect(row.isReference).toBe(false);
    const read = benchReportSchema.parse(row.report);
    expect(read).toMatchObject({
      schema: "yonder-pair/bench@2",
      channels: [],
      kind: { name: "unknown" },
      latencySamples: 3,
    });
    expect(read.withheld.every(({ reason }) => reason === "earlierVersion")).toBe(true);
  });
});
