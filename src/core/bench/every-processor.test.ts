import { describe, expect, it } from "vitest";
import { PROCESSORS } from "../processors/registry";
import { SMALL_FORM } from "../testing/bench";
import { benchChain } from "./bench";
import { csvRows } from "./csv";
import type { BenchKind } from "./kind/kind";
import { type BenchReport, benchReportSchema, knownDbfs } from "./report";

const LOUD = { ...SMALL_FORM, levelDbfs: -1 };
const reports = new Map(PROCESSORS.map(({ key }) => [key, benchChain([{ processorKey: key, settings: {} }], LOUD)]));
const of = (key: string): BenchReport => {
  const report = reports.get(key);
  if (!report) throw new RangeError(key);
  return report;
};

describe("every built-in processor", () => {
  it("is measured to a report that its own schema takes, through JSON and back", () => {
    expect(reports.size).toBe(PROCESSORS.length);
    for (const [key, report] of reports) {
      const read = benchReportSchema.safeParse(JSON.parse(JSON.stringify(report)));
      expect(read.success ? [] : read.error.issues, key).toEqual([]);
      expect(report.sentences.length, key).toBeGreaterThan(2);
      expect(
        report.sentences.every((sentence) => /[.]$/.test(sentence) && !/NaN|undefined|Infinity/.test(sentence)),
        key,
      ).toBe(true);
      expect(
        csvRows([{ title: key, report }]).rows.every((row) => row.every((v) => !Number.isNaN(v))),
        key,
      ).toBe(true);
    }
  });

  it("has standard deviations in its table where they are known, and no level that noise hides", () => {
    const { rows } = csvRows([{ title: "Comp", report: of("feed-forward-compressor") }]);
    const row = (name: string) => rows.find(([, figure]) => figure === name);
    for (const name of ["threshold", "ratio", "attack to 63 %", "release to 63 %", "latency"])
      expect(row(name)?.at(-1), name).toBeGreaterThan(0);
    expect(row("polarity")?.at(-1)).toBeNull();
    expect(knownDbfs({ outDbfs: -300 })).toBeNull();
    expect(knownDbfs({ outDbfs: -120 })).toBe(-120);
  });

  it("has a law and times where it moves level by itself, and none where it does not", () => {
    for (const key of ["feed-forward-compressor", "slow-leveller", "multiband-compressor"])
      expect(of(key).static, key).not.toBeNull();
    expect(of("feed-forward-compressor").times).not.toBeNull();
    // Two releases, or bands with times of their own, are no attack and release of one gain.
    expect(of("multiband-compressor").times).toBeNull();
    for (const key of [
      "bilinear-equalizer",
      "matched-equalizer",
      "passive-low-pair",
      "parallel-high-shelf",
      "gain",
      "all-pass",
      "converter",
    ]) {
      expect(of(key).static?.ratio ?? null, key).toBeNull();
      expect(of(key).times, key).toBeNull();
    }
    for (const key of ["drive-stage", "biased-stage", "soft-clip"]) {
      expect(of(key).static?.ratio ?? null, key).toBeNull();
      expect(of(key).times, key).toBeNull();
    }
  });

  it("is of the kind it was made as, or of none that can be told", () => {
    const kinds: Record<string, BenchKind[]> = {
      "bilinear-equalizer": ["wire"],
      gain: ["wire"],
      "all-pass": ["allPass"],
      "phase-rotator": ["allPass"],
      "parallel-high-shelf": ["equalizer", "wire"],
      "passive-low-pair": ["equalizer", "wire"],
      "feed-forward-compressor": ["compressor"],
      "slow-leveller": ["compressor"],
      "multiband-compressor": ["multiband"],
      "dynamic-equalizer": ["dynamicEq"],
      "true-peak-limiter": ["limiter", "compressor"],
      "soft-clip": ["saturator", "clipper"],
      "drive-stage": ["saturator", "clipper"],
      "biased-stage": ["saturator", "clipper"],
      "hard-ceiling": ["wire", "limiter", "clipper"],
    };
    for (const [key, allowed] of Object.entries(kinds))
      expect([...allowed, "unknown"], key).toContain(of(key).kind.name);
  });

  it("adds the harmonics it is made for, even or odd, or none", () => {
    const [even, odd] = [
      (key: string) => of(key).harmonics[0].partialsDb[0],
      (key: string) => of(key).harmonics[0].partialsDb[1],
    ];
    for (const key of ["drive-stage", "soft-clip", "tape-stage"]) {
      expect(even(key), key).toBeNull();
      expect(odd(key), key).not.toBeNull();
    }
    expect(even("biased-stage")).toBeGreaterThan(odd("biased-stage") ?? 0);
    for (const key of ["gain", "bilinear-equalizer", "all-pass", "phase-rotator"])
      expect(
        of(key).harmonics.every((tone) => tone.partialsDb.every((db) => db === null)),
        key,
      ).toBe(true);
  });

  it("is transparent at its rest where it is known to be, and says what it adds elsewhere", () => {
    for (const key of ["gain", "bilinear-equalizer", "matched-equalizer"]) {
      expect(of(key), key).toMatchObject({ transparent: "yes", addsDb: null, passesApartDb: null, wordLengthBits: 24 });
      expect(of(key).sentences.join(" "), key).toMatch(/Output equals input, bit for bit\./);
    }
    expect(of("converter")).toMatchObject({ transparent: "no" });
    expect(of("outboard-loop")).toMatchObject({ transparent: "no", polarity: 1 });
    // Converters of the loop: noise of −96 dBFS, 64.25 samples.
    expect(of("outboard-loop").noiseFloorDbfs).toBeCloseTo(-96, 0);
    expect(Math.abs((of("outboard-loop").latencySamples ?? 0) - 64.25)).toBeLessThan(0.01);
  });

  it("tells the same of a rate that is not its own", () => {
    const settings = { bands: [{ kind: "bell", frequencyHz: 1000, gainDb: 6, q: 1 }] };
    for (const sampleRateHz of [8000, 11_025, 44_100, 96_000]) {
      const { fitted, latencySamples } = benchChain([{ processorKey: "bilinear-equalizer", settings }], {
        ...SMALL_FORM,
        sampleRateHz,
      });
      expect(fitted, String(sampleRateHz)).toHaveLength(1);
      expect(Math.abs(fitted[0].hertz / 1000 - 1)).toBeLessThan(0.01);
      expect(Math.abs((fitted[0].gainDb ?? 0) - 6)).toBeLessThan(0.1);
      expect(Math.abs((fitted[0].q ?? 0) - 1)).toBeLessThan(0.05);
      expect(Math.abs(latencySamples ?? 1)).toBeLessThan(0.01);
    }
  });
});
