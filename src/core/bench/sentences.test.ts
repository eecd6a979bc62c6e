import { describe, expect, it } from "vitest";
import { SMALL_FORM, sentSignal } from "../testing/bench";
import { benchChain } from "./bench";
import { csvRows } from "./csv";
import type { BenchReport } from "./report";
import { sentencesOf } from "./sentences";

const { plan } = sentSignal(SMALL_FORM);
const plain = benchChain([{ processorKey: "gain", settings: { gainDb: -3 } }], SMALL_FORM);
const known = { isBent: false, acts: false, moves: false, isUnsteady: false, isCoded: false, rings: false, plan };
const said = (facts: Partial<BenchReport>, more: Partial<typeof known> = {}) =>
  sentencesOf({ ...plain, ...facts }, { ...known, ...more }).join(" ");

const LAW = { thresholdDbfs: -20, ratio: 4, kneeDb: 6, gainDb: 0, misfitDb: 0.01, points: [] };
const TIMES = {
  attackMs: 10,
  attackWithin1DbMs: 26,
  releaseMs: 120,
  releaseWithin1DbMs: 300,
  releaseAfterShortMs: 118,
  reductionDb: 6,
  shortReductionDb: 5.8,
  overshootDb: 6,
  undershootDb: 0,
  holdMs: 0,
  lookAheadMs: 0,
  linkShare: 1,
  course: { ms: [], gainDb: [] },
};

describe("what the tests found, in words", () => {
  it("is next to nothing for a gain, and nothing for what adds nothing", () => {
    expect(said({})).toMatch(
      /^Its response is flat: −3\.00 dB within 0\.00 dB\. It turns no phase; it is without delay\./,
    );
    expect(said({ addsDb: -71.2 })).toMatch(/^It is near to nothing: what it adds lies 71\.2 dB under the signal/);
    expect(said({ transparent: "yes" })).toMatch(
      /^It adds nothing: what comes back is what was sent, bit for bit\. It turns no phase/,
    );
  });

  it("names the bands that make a curve, and what squeezes it", () => {
    const response = { ...plain.response, magnitudeDb: plain.response.magnitudeDb.map((db, i) => db + i / 20) };
    const fitted: BenchReport["fitted"] = [
      { kind: "low cut", hertz: 82.4, gainDb: null, q: null, slopeDbPerOctave: 24 },
      { kind: "bell", hertz: 1000, gainDb: 6, q: 1, slopeDbPerOctave: null },
    ];
    const words = said({ response, fitted, realised: "bilinear", fitMisfitDb: 0.01 });
    expect(words).toContain(
      "Its curve is that of a low cut at 82.4 Hz, 24 dB an octave and a bell of +6.0 dB at 1 kHz, Q 1.00.",
    );
    expect(words).toContain("squeezed, as the bilinear transform does it");
    expect(said({ response, fitted, fitMisfitDb: 0.4, fitMostDb: 1.2 })).toContain("; they leave 1.2 dB at the most.");
    expect(said({ response, fitted: [], fitMostDb: 6 })).toMatch(/moves by [\d.]+ dB, and no band explains it/);
    const gentle = { ...plain.response, magnitudeDb: plain.response.magnitudeDb.map((db, i) => db + i / 400) };
    expect(said({ response: gentle, fitted: [] }, { moves: true })).toMatch(
      /as far as can be told beside a gain that moves/,
    );
    expect(said({ response, fitted: [] }, { acts: true })).toMatch(
      /cannot be told apart from that: no bands are fitted/,
    );
  });

  it("says what holds for tones alone, and what rings on too long to be told", () => {
    expect(said({}, { isCoded: true })).toContain("It gives tones back and not noise as it was");
    const ringing = said({ static: LAW }, { rings: true });
    expect(ringing).toContain("It rings on for longer than the signal leaves room");
    expect(ringing).not.toContain("It compresses");
  });

  it("tells phase and delay, and when a delay is not known", () => {
    expect(said({ phaseKind: "minimum", latencySamples: 64.25 })).toContain(
      "(minimum phase); it is 64.25 samples late (4.0 ms).",
    );
    expect(said({ phaseKind: "linear", latencySamples: 8191 })).toContain(
      "(linear phase); it is 8191 samples late (512 ms).",
    );
    expect(said({ phaseKind: "all-pass", crossoversHz: [200, 3000] })).toContain(
      "as crossovers or all-passes at 200 Hz and 3 kHz do",
    );
    expect(said({ phaseKind: "all-pass", rotationDegrees: 90 })).toContain("all frequencies by 90°");
    expect(said({ latencySamples: 12.4, latencyErrorSamples: 8 })).toContain("late by what cannot be told closely");
    expect(said({ phaseKind: "unknown" })).toContain("cannot be told: its curve turns too little");
  });

  it("tells a law where there is one, and says why where there is none", () => {
    expect(said({ static: LAW })).toContain("It compresses: threshold −20.0 dBFS, ratio 4.0:1, knee 6.0 dB.");
    expect(said({ static: LAW, staticOnSine: { ...LAW, thresholdDbfs: -19 } })).toContain(
      "On a sine, whose magnitude moves through each turn, it begins at −19.0 dBFS.",
    );
    expect(said({ static: { ...LAW, ratio: 100 } })).toContain("It limits: nothing rises beyond −20.0 dBFS going in.");
    expect(said({ static: { ...LAW, thresholdDbfs: null, ratio: 100 } })).toContain("It limits peaks between samples");
    expect(said({ static: { ...LAW, thresholdDbfs: null, ratio: null } })).toContain(
      "by no law of threshold and ratio",
    );
    expect(said({ static: null })).toContain("Its gain does not move with level up to −12 dBFS.");
    expect(said({ static: LAW }, { isBent: true })).toContain(
      "at once and without memory: it has no threshold, ratio or times",
    );
    expect(said({ static: LAW }, { isUnsteady: true })).toContain("It does not do the same twice");
    const bell: BenchReport["moves"] = { kind: "bell", edgesHz: [2900], hertz: [], tones: [] };
    expect(said({ static: LAW, moves: bell })).toMatch(
      /It moves one bell near 2\.9 kHz by level; .* it is a dynamic equalizer near 2\.9 kHz/,
    );
    const split: BenchReport["moves"] = { kind: "split bands", edgesHz: [200, 3000], hertz: [], tones: [] };
    expect(said({ static: LAW, moves: split })).toMatch(
      /in the band around 1 kHz: threshold .* it is split near 200 Hz and 3 kHz/,
    );
  });

  it("tells times by their words, and what follows the programme", () => {
    expect(said({ times: TIMES })).toContain(
      "A step of 6.0 dB of gain is 63 % there after 10.0 ms and back after 120 ms. Both sides move together.",
    );
    const slow = said({ times: { ...TIMES, releaseMs: null, lookAheadMs: 5, holdMs: 20, linkShare: 0.02 } });
    expect(slow).toContain(
      "back after longer than the test allows. It looks ahead by 5.0 ms. It holds for 20.0 ms before it lets go. Each side moves for itself.",
    );
    expect(said({ times: { ...TIMES, releaseAfterShortMs: 60 } })).toContain(
      "After a burst of 30 ms it lets go in 60.0 ms: it follows the programme.",
    );
    expect(said({ times: { ...TIMES, linkShare: 0.5 } })).toContain("The quiet side moves by 50 % of the loud one.");
  });

  it("names harmonics even and odd, what folds back, and how it is wired", () => {
    const [deep, ...others] = plain.harmonics;
    const withPartials = (partials: Record<number, number>): BenchReport["harmonics"] => [
      { ...deep, partialsDb: Array.from({ length: 9 }, (_, i) => partials[i + 2] ?? null), thdPercent: 1 },
      ...others,
    ];
    expect(said({ harmonics: withPartials({ 2: -40, 4: -60 }) })).toContain(
      "even ones alone: H2 at −40.0 dB and H4 at −60.0 dB; THD 1.0 %.",
    );
    expect(said({ harmonics: withPartials({ 3: -50 }) })).toContain("odd ones alone: H3 at −50.0 dB");
    expect(said({ harmonics: withPartials({ 2: -40, 3: -50 }) })).toContain("even and odd ones: H2");
    expect(said({ aliasDb: -62.3 })).toContain("What folds back reaches 62.3 dB under a tone at −12 dBFS.");
    const wired = said({
      polarity: -1,
      swapped: true,
      clockPpm: 50,
      noiseFloorDbfs: -80,
      hum: { hertz: 50, dbfs: -75 },
      wordLengthBits: 16,
    });
    expect(wired).toContain(
      "Polarity is flipped, left and right are swapped, the clock is off by 50.00 ppm, noise lies at −80.0 dBFS, it hums at 50 Hz, −75.0 dBFS and samples come in 16 bits.",
    );
  });
});

describe("every figure as rows", () => {
  it("has one figure a row, with its place and unit, for all that is given", () => {
    const { columns, rows } = csvRows([
      { title: "a", report: plain },
      { title: "b", report: { ...plain, static: LAW, times: TIMES } },
    ]);
    expect(columns).toEqual(["processor", "figure", "at", "value", "unit"]);
    expect(rows.every((row) => row.length === columns.length)).toBe(true);
    const find = (title: string, figure: string) => rows.filter((r) => r[0] === title && r[1] === figure);
    expect(find("a", "gain")).toEqual([["a", "gain", "1 kHz", plain.gainDbAt1k, "dB"]]);
    expect(find("a", "magnitude")).toHaveLength(plain.response.hertz.length);
    expect(find("b", "ratio")).toEqual([["b", "ratio", null, 4, ":1"]]);
    expect(find("b", "attack to 63 %")[0][3]).toBe(10);
    expect(find("a", "H2")).toHaveLength(plain.harmonics.length + plain.highTones.length);
  });
});
