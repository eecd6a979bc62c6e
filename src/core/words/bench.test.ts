import { describe, expect, it } from "vitest";
import { benchChain } from "../bench/bench";
import { INTEGRITY_KINDS, type IntegrityFinding } from "../bench/integrity/integrity";
import { KINDS } from "../bench/kind/kind";
import { REASONS } from "../bench/reasons";
import { type BenchReport, WITHHELD_FIGURES } from "../bench/report";
import { SMALL_FORM } from "../testing/bench";
import { benchDifferenceWords, benchSentences, integrityWords, kindName, pitchWords } from "./bench";
import { REASON_WORDS, withheldWords } from "./bench-withheld";
import { timeWithin, within } from "./units";

const plain = benchChain([{ processorKey: "gain", settings: { gainDb: -3 } }], SMALL_FORM);
const spaced = (text: string) => text.replaceAll("\u2009", " ");
const said = (facts: Partial<BenchReport>) => spaced(benchSentences({ ...plain, withheld: [], ...facts }).join(" "));
const kind = (name: BenchReport["kind"]["name"], gainErrorDb: number | null = null) => ({
  name,
  confidence: 0.9,
  residualDb: null,
  gainErrorDb,
});

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
const finding = (what: IntegrityFinding["what"], more: Partial<IntegrityFinding> = {}): IntegrityFinding => ({
  what,
  atSeconds: null,
  withinSeconds: null,
  hertz: null,
  levelDbfs: null,
  samples: null,
  percent: null,
  channel: null,
  ...more,
});

describe("what Bench says of a processor", () => {
  it("is short for a gain, and shortest for what changes nothing", () => {
    expect(said({})).toMatch(
      /^Wire: no change but gain, delay or polarity, noise aside\. Flat within 0\.01 dB \(20 Hz to 6\.72 kHz\), −3\.00 dB at 1 kHz\. No phase shift\. No latency\. No harmonics above noise\./,
    );
    expect(said({ transparent: "yes" })).toContain("Output equals input, bit for bit.");
  });

  it("names a kind with its static curve where that predicts, else the kind alone", () => {
    expect(said({ kind: kind("compressor", 0.05), static: LAW })).toContain(
      "Compressor: threshold −20.0 dBFS, ratio 4.0:1, knee 6.0 dB, predicts held-out gain to 0.05 dB.",
    );
    expect(said({ kind: kind("limiter", 0.05), static: { ...LAW, ratio: 40 } })).toContain(
      "Limiter: input threshold −20.0 dBFS, ratio 20:1 or more",
    );
    expect(said({ kind: kind("compressor"), static: { ...LAW, thresholdDbfs: null, ratio: null } })).toMatch(
      /^Compressor\. /,
    );
    expect(said({ kind: kind("compressor"), static: LAW, staticOnSine: { ...LAW, thresholdDbfs: -18.5 } })).toContain(
      "On a sine the threshold reads −18.5 dBFS (peak).",
    );
    expect(said({ kind: kind("unknown"), addsDb: -71.2 })).toMatch(
      /^Null depth −71\.2 dB re input at the best gain and delay \(sweep at −12 dBFS\)\./,
    );
    for (const name of KINDS) expect(kindName(name)).toMatch(/^[a-z]/i);
  });

  it("says over what a claim holds: the side alone, the sweep's level, the frequencies that noise leaves", () => {
    expect(said({ crosstalkDb: -10.9 })).toContain(
      "Wire but for crosstalk: no other change but gain, delay or polarity, noise aside.",
    );
    expect(said({ crosstalkDb: -130 })).toMatch(/^Wire: no change/);
    // Noise hides what lies above 4 kHz, where it moves the curve by 2 dB; below all is flat.
    const { response } = plain;
    const { hertz } = response;
    const hidden = (isHidden: (hz: number) => boolean) => ({
      response: {
        ...response,
        magnitudeDb: hertz.map((hz, i) => (isHidden(hz) ? (i % 2 ? 2 : -2) : 0)),
        errorDb: hertz.map((hz) => (isHidden(hz) ? 2 : 0.001)),
      },
    });
    expect(said(hidden((hz) => hz > 4000))).toMatch(/Flat within 0\.01 dB \(20 Hz to (3\.[89]\d?|4) kHz\)/);
    expect(said(hidden((hz) => hz < 100))).toMatch(/Flat within 0\.01 dB \(1\d\d Hz to 6\.72 kHz\)/);
    expect(said(hidden(() => true))).toMatch(/no change above noise/);
    const tilted = { ...response, magnitudeDb: hertz.map((hz) => (hz > 4000 ? 30 : hz / 500)) };
    const errorDb = hertz.map((hz) => (hz > 4000 ? 2 : 0.001));
    expect(said({ kind: kind("equalizer"), response: { ...tilted, errorDb } })).toMatch(
      /Response spans [78]\.\d dB \(20 Hz to (3\.[89]\d?|4) kHz\); no EQ band fits\./,
    );
  });

  it("gives bands, phase, latency, times, harmonics and aliasing as figures with units", () => {
    const response = { ...plain.response, magnitudeDb: plain.response.magnitudeDb.map((db, i) => db + i / 20) };
    const fitted: BenchReport["fitted"] = [
      { kind: "low cut", hertz: 82.4, gainDb: null, q: null, slopeDbPerOctave: 24 },
      { kind: "bell", hertz: 1000, gainDb: 6, q: 1, slopeDbPerOctave: null },
    ];
    const eq = said({
      kind: kind("equalizer"),
      response,
      fitted,
      realised: "bilinear",
      fitMisfitDb: 0.4,
      fitMostDb: 1.2,
      phaseKind: "minimum",
      latencySamples: 64.25,
    });
    expect(eq).toContain(
      "EQ: high-pass 82.4 Hz 24 dB/oct, bell 1 kHz +6.0 dB Q 1.00; maximum error 1.2 dB. Cramped towards Nyquist (bilinear transform).",
    );
    expect(eq).toContain("Minimum phase. Latency 64.25 ±0.01 samples (4.0 ms).");
    expect(said({ response })).toMatch(/Response spans [\d.]+ dB; no EQ band fits\./);
    const times = said({
      kind: kind("compressor"),
      times: { ...TIMES, lookAheadMs: 5, holdMs: 20, releaseAfterShortMs: 60, linkShare: 0.5 },
    });
    expect(times).toContain(
      "Attack 10.0 ms, release 120 ms (to 63 % of 6.0 dB). Look-ahead 5.0 ms. Hold 20.0 ms. Release 60.0 ms after a 30 ms burst: programme-dependent. Linking 50 %.",
    );
    expect(said({ kind: kind("compressor"), times: { ...TIMES, attackMs: 0.02, releaseMs: null } })).toContain(
      "Attack under 0.1 ms, release not known",
    );
    // A gate's detector that falls slowly looks like a hold; where gain moves ahead by an unknown time nothing is said of a look-ahead.
    const gate = said({ kind: kind("gate"), times: { ...TIMES, attackMs: null, lookAheadMs: null, holdMs: 60 } });
    expect(gate).toContain(
      "Attack not known, release 120 ms (to 63 % of 6.0 dB). Hold, or fall of its detector, 60.0 ms.",
    );
    expect(gate).not.toMatch(/look-ahead/i);
    const [deep, ...others] = plain.harmonics;
    const partialsDb = [-40, -52.5, null, null, null, null, null, null, null];
    expect(said({ harmonics: [{ ...deep, partialsDb, thdPercent: 1.03 }, ...others] })).toContain(
      "THD 1.0 % of 1.01 kHz at −12 dBFS: H2 −40.0 dB and H3 −52.5 dB.",
    );
    expect(said({ aliasDb: -62.3 })).toContain("Aliasing: up to −62.3 dB re a tone at −12 dBFS.");
    expect(said({ polarity: -1, swapped: true, clockPpm: 50, noiseFloorDbfs: -80, wordLengthBits: 16 })).toContain(
      "Polarity inverted, left and right swapped, drift +50.00 ppm (runs long), noise −80.0 dBFS and 16 bits.",
    );
  });

  it("has what a figure may be off by beside it where that is more than its last digit", () => {
    const errors = { thresholdDb: 0.2, ratio: 0.15, kneeDb: 0.6 };
    const staticCurve = said({ kind: kind("compressor", 0.05), static: { ...LAW, errors } });
    expect(staticCurve).toContain("threshold −20.0 ±0.4 dBFS, ratio 4.0:1 ±0.3, knee 6.0 ±1.2 dB");
    const close = said({
      static: { ...LAW, errors: { thresholdDb: 0.01, ratio: 0.02, kneeDb: 0.01 } },
      kind: kind("compressor"),
    });
    expect(close).toContain("threshold −20.0 dBFS, ratio 4.0:1, knee 6.0 dB");
    const errorsMs = { attack: 0.3, release: 4, hold: 1, lookAhead: 0.2 };
    const times = said({ kind: kind("compressor"), times: { ...TIMES, lookAheadMs: 2, holdMs: 12, errorsMs } });
    expect(times).toContain(
      "Attack 10.0 ±0.6 ms, release 120 ±8 ms (to 63 % of 6.0 dB). Look-ahead 2.0 ±0.4 ms. Hold 12.0 ±2.0 ms.",
    );
    // What is known no closer than itself is under what it may be.
    const atOnce = said({
      kind: kind("limiter"),
      times: { ...TIMES, attackMs: 0.05, errorsMs: { ...errorsMs, attack: 0.15 } },
    });
    expect(atOnce).toContain("Attack under 0.35 ms");
    const response = { ...plain.response, errorDb: plain.response.errorDb.map(() => 0.04) };
    expect(said({ response })).toContain("−3.00 ±0.08 dB at 1 kHz");
    expect(timeWithin(1200, 30).replaceAll("\u2009", " ")).toBe("1.20 ±0.06 s");
    expect([within(0.02), within(0.03), within(null)]).toEqual(["", " ±0.1", ""]);
  });

  it("tells noise as noise: a response that lies in it, ends that are hidden, none above it", () => {
    const noisy = {
      ...plain.response,
      magnitudeDb: plain.response.magnitudeDb.map((db, i) => db + 0.9 * Math.sin(i)),
      errorDb: plain.response.errorDb.map(() => 0.4),
    };
    expect(said({ response: noisy })).toMatch(
      /Response: no change above noise \(±1\.6 dB for 90 % of 20 Hz to .* kHz\), −[\d.]+ ±0\.80 dB at 1 kHz\./,
    );
    expect(said({ response: noisy, kind: kind("equalizer") })).toContain("Response: change is within noise (±1.6 dB");
    const band = { kind: "bell" as const, hertz: 1000, gainDb: 6, q: 1, slopeDbPerOctave: null };
    const half = plain.response.hertz.map((hz) => (hz < 100 || hz > 4000 ? 2 : 0.01));
    expect(said({ fitted: [band], response: { ...noisy, errorDb: half } })).toMatch(
      /EQ \(known from 1\d\d Hz to (3\.9\d?|4) kHz; noise hides the rest\)/,
    );
  });

  it("names whose polarity and noise it tells, says none of what moves, and why a figure is missing", () => {
    const channels: BenchReport["channels"] = [
      { channel: "left", differs: [], delaySamples: 0, figures: null },
      { channel: "right", differs: ["polarity", "noise"], delaySamples: 0, figures: { ...plain, noiseFloorDbfs: -60 } },
    ];
    const inverted = said({ channels, polarity: -1, noiseFloorDbfs: -80 });
    expect(inverted).toContain("Polarity inverted (left) and noise −80.0 dBFS (left)");
    expect(said({ phaseKind: "unknown", polarity: -1 })).not.toContain("inverted");
    const withheld: BenchReport["withheld"] = [{ figure: "harmonics", channel: "left", reason: "unsteady" }];
    expect(said({ withheld, channels })).not.toMatch(/harmonics above|THD/);
    expect(withheldWords({ withheld, channels }, "harmonics")).toBe("changes over time");
    expect(withheldWords({ withheld, channels }, "times")).toBeNull();
    const opens = said({
      kind: kind("gate"),
      response: { ...plain.response, magnitudeDb: plain.response.magnitudeDb.map((db, i) => db + i / 20) },
      withheld: [{ figure: "bands", channel: null, reason: "gainMoves" }],
    });
    expect(opens).toContain("gain falls at lower levels, no bands fitted.");
    expect(opens).not.toContain("Gain changes already");
    expect(said({ times: { ...TIMES, attackMs: null, releaseMs: null } })).toContain(
      "Attack and release not known (to",
    );
    const three = { kind: "split bands" as const, edgesHz: [140, 3200], hertz: [], tones: [] };
    expect(said({ kind: kind("multiband"), moves: three })).toContain(
      "Crossover near 140 Hz and 3.2 kHz (within half an octave).",
    );
    expect(said({ kind: kind("multiband"), moves: three, crossoversHz: [200, 3000] })).not.toContain("140 Hz");
  });

  it("says what was withheld, each reason once, and never a figure with it", () => {
    const words = said({
      kind: kind("compressor"),
      static: { ...LAW, thresholdDbfs: null, ratio: null },
      withheld: [
        { figure: "staticCurve", channel: null, reason: "noModel" },
        { figure: "times", channel: null, reason: "noModel" },
        { figure: "latency", channel: null, reason: "noReference" },
      ],
    });
    expect(words).toContain(
      "Not known: threshold and ratio, attack and release: no model predicts it; latency: no loop-back to compare.",
    );
    expect(words).not.toMatch(/threshold −/);
    for (const reason of REASONS) expect(REASON_WORDS[reason].length).toBeGreaterThan(3);
    for (const figure of WITHHELD_FIGURES)
      expect(said({ withheld: [{ figure, channel: "right", reason: "noise" }] })).toMatch(/\(right\): hidden by noise/);
    const response = { ...plain.response, magnitudeDb: plain.response.magnitudeDb.map((db, i) => db + i / 20) };
    expect(said({ response, withheld: [{ figure: "bands", channel: null, reason: "gainMoves" }] })).toContain(
      "response includes it, no bands fitted.",
    );
    expect(said({ response, withheld: [{ figure: "bands", channel: null, reason: "slow" }] })).toContain(
      "Gain not yet at rest in the quiet sweep: no bands fitted.",
    );
  });

  it("tells a channel that differs by what differs in it", () => {
    const other = { ...plain, polarity: -1 as const, gainDbAt1k: -1, kind: kind("saturator") };
    const words = said({
      channels: [
        { channel: "left", differs: [], delaySamples: 0, figures: null },
        { channel: "right", differs: ["delay", "polarity", "gain", "kind"], delaySamples: 12, figures: other },
        { channel: "side", differs: ["silent"], delaySamples: null, figures: other },
      ],
    });
    expect(words).toContain("Left: wire: no change but gain, delay or polarity, noise aside.");
    expect(words).toContain("Right: delay +12 samples re left, inverted re left and gain +2.00 dB re left at 1 kHz.");
    expect(words).toContain("Right: saturation: memoryless curve.");
    expect(words).toContain("Side: silent.");
    const sideAlone = said({
      channels: [
        { channel: "left", differs: [], delaySamples: 0, figures: null },
        { channel: "right", differs: [], delaySamples: 0, figures: null },
        { channel: "side", differs: ["kind"], delaySamples: 0, figures: other },
      ],
      withheld: [{ figure: "times", channel: "left", reason: "noise" }],
    });
    expect(sideAlone).toContain("Left and right: wire: no change but gain, delay or polarity, noise aside.");
    expect(sideAlone).toContain("attack and release (left and right): hidden by noise");
    expect(sideAlone).not.toContain("Left: ");
  });
});

describe("what Bench says of a recording", () => {
  it("is a sentence for each fault, with its time, frequency or level", () => {
    const words = (f: IntegrityFinding) => spaced(integrityWords(f));
    expect(words(finding("lost", { samples: 512, atSeconds: 20.04, withinSeconds: 0.03 }))).toBe(
      "Lost on the way: 512 samples at 0:20.0.",
    );
    expect(words(finding("repeated", { samples: 1, atSeconds: 8, withinSeconds: 1.1, channel: "right" }))).toBe(
      "Repeated on the way: 1 sample at 0:08.0 ± 1.1 s (right).",
    );
    expect(words(finding("hum", { hertz: 49.93, levelDbfs: -64.2 }))).toBe("Hum of 49.9 Hz at −64.2 dBFS.");
    expect(words(finding("wow", { percent: 0.0123, hertz: 3.8 }))).toBe(
      "Pitch moves by ±0.012 %, about 4 Hz (wow: recorder, tape or processor).",
    );
    expect(words(finding("wow", { percent: 0.0123 }))).toBe(
      "Pitch moves slowly, by ±0.012 % or more (wow: recorder, tape or processor).",
    );
    // A semitone is 2^(1/12) = 1.059463 (equal temperament).
    expect(spaced(pitchWords(59_463))).toBe(
      "Tones of 1 kHz are +100.0 cents off the signal's tempo (pitch shift, frequency shift or time stretch).",
    );
    for (const what of INTEGRITY_KINDS)
      expect(words(finding(what, { atSeconds: 1, hertz: 60, levelDbfs: -60, samples: 7, percent: 0.1 }))).toMatch(
        /^[A-Z].*\.$/,
      );
  });
});

describe("two processors in words", () => {
  it("has names, signs and units", () => {
    const words = (d: Parameters<typeof benchDifferenceWords>[0]) => spaced(benchDifferenceWords(d, ["A", "B"]));
    const kinds = (a: number | null, b: number | null) =>
      words({ what: "kind", kinds: ["wire", "deEsser"], crosstalkDb: [a, b], sizeDb: 0 });
    expect(kinds(null, null)).toBe("A: wire. B: de-esser.");
    expect(kinds(-130, -20)).toBe("A: wire. B: de-esser.");
    expect(kinds(-20, null)).toBe("A: wire but for crosstalk. B: de-esser.");
    expect(words({ what: "gainOverLevel", levelDbfs: -12, quietDbfs: -69, gainsDb: [-13.5, 0], sizeDb: 13.5 })).toBe(
      "Gain at −12 dBFS re −69 dBFS: A −13.5 dB, B 0.0 dB.",
    );
    expect(words({ what: "response", hertz: 3000, db: -2.04, sizeDb: 2 })).toBe(
      "Response: A −2.0 dB re B at 3 kHz, gain aside.",
    );
    expect(words({ what: "harmonics", levelDbfs: -12, thdPercent: [null, 1.5], sizeDb: 0.1 })).toBe(
      "THD of 1 kHz at −12 dBFS: A none above noise, B 1.5 %.",
    );
    expect(words({ what: "latency", milliseconds: -1.5, sizeDb: 0 })).toBe("Latency: A −1.50 ms re B.");
  });
});
