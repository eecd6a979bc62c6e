import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { SettingLine } from "../candidates/candidate";
import { settingsOfChain } from "../candidates/chain-settings";
import { type Chain, chainSchema } from "../processors/chain";
import { SMALL_FORM } from "../testing/bench";
import { benchDifferenceWords } from "../words/bench";
import { benchChain } from "./bench";
import { compareReports } from "./compare-reports";
import { controlWords as controlWordsOf, panelCheck as panelCheckOf } from "./find/control-words";
import { onAPage } from "./page";
import { firstAtRest } from "./read/static-curve";

const chainOf = (processorKey: string, settings: object): Chain => chainSchema.parse([{ processorKey, settings }]);
const FORM = { sampleRateHz: 48_000, levelDbfs: -1, channelCount: 1 } as const;
const measured = (title: string, chain: Chain) => ({ title, report: benchChain(chain, FORM) });
const compressor = (settings: object) => chainOf("feed-forward-compressor", settings);
const equalizer = (...bands: object[]) => chainOf("matched-equalizer", { bands });
const bell = (frequencyHz: number, gainDb: number, q: number) => ({ kind: "bell", frequencyHz, gainDb, q });
const line = (parameter: string, value: string, unit = ""): SettingLine => ({ parameter, value, unit, note: "" });

/** Thin spaces as plain ones. */
const spaced = (text: string) => text.replaceAll("\u2009", " ");
const panelCheck: typeof panelCheckOf = (...given) =>
  panelCheckOf(...given).map((r) => r && { words: spaced(r.words), error: spaced(r.error) });
const controlWords: typeof controlWordsOf = (...given) => {
  const words = controlWordsOf(...given);
  return words && spaced(words);
};

const four = measured("Four to one", compressor({ thresholdDb: -20, ratio: 4 }));
const two = measured("Two to one", compressor({ thresholdDb: -20, ratio: 2 }));
const tone = measured("Bell", equalizer(bell(1000, 6, 1)));

describe("two processors held against each other", () => {
  const words = (a: typeof four, b: typeof four) =>
    compareReports(a, b).map((d) => benchDifferenceWords(d, [a.title, b.title]).replaceAll("\u2009", " "));
  it("are told by gain over level: three quarters against half of what is over the threshold, the larger difference first", () => {
    // 19 dB over −20 at −1 dBFS: 14.25 dB at 4:1, 9.5 at 2:1 (static curve of a compressor); over a sine's turns less is taken off than at its peaks.
    expect(words(four, two)[0]).toMatch(
      /^Gain at −1 dBFS re −5\d dBFS: Four to one −1[23]\.\d dB, Two to one −[89]\.\d dB\.$/,
    );
    const wire = measured("Wire", chainOf("gain", {}));
    const [kind, gain, ...rest] = words(four, wire);
    expect(kind).toBe("Four to one: compressor. Wire: wire.");
    expect(gain).toMatch(/^Gain at −1 dBFS re −5\d dBFS: Four to one −1[23]\.\d dB, Wire 0\.0 dB\.$/);
    expect(rest.some((sentence) => sentence.startsWith("Gain"))).toBe(false);
  });
  it("are told by where their curves part, whatever their gain", () => {
    const flat = measured("Gain", chainOf("gain", { gainDb: -4 }));
    expect(words(tone, flat).join(" ")).toMatch(/Response: Bell \+5\.\d dB re Gain at 1 kHz, gain aside\./);
    expect(words(flat, measured("Nothing", chainOf("gain", { gainDb: 0 })))).toEqual([]);
  });
  it("do not part where noise hides either curve", () => {
    const { response } = tone.report;
    const top = response.hertz.findIndex((hz) => hz > 12_000);
    const inNoise = (errorDb: number) => ({
      title: "In noise",
      report: {
        ...tone.report,
        response: {
          ...response,
          magnitudeDb: response.magnitudeDb.map((db, i) => (i === top ? db - 18 : db)),
          errorDb: response.errorDb.map((_, i) => (i === top ? errorDb : 0.001)),
        },
      },
    });
    expect(words(inNoise(2), tone)).toEqual([]);
    expect(words(inNoise(0.01), tone).join(" ")).toMatch(/Response: In noise −1[78]\.\d dB re Bell at 12\.\d kHz/);
  });
  it("are told by harmonics and latency where these differ", () => {
    const driven = measured("Drive", chainOf("drive-stage", { driveDb: 12 }));
    expect(words(driven, tone).join(" ")).toMatch(/THD of 1 kHz at −1 dBFS: Drive [\d.]+ %, Bell none above noise\./);
    const late = measured("Linear", chainOf("linear-phase-equalizer", { bands: [bell(1000, 6, 1)] }));
    expect(words(late, tone).join(" ")).toMatch(/Latency: Linear \+\d+\.\d\d ms re Bell\./);
  });
  it("are not held against each other by a gain that is still coming back, only by levels above", () => {
    const wire = measured("Wire", chainOf("gain", {}));
    // Lets go over seconds: its gain rises by 1.1 dB up to −28 dBFS, which no static curve of it does.
    const leveller = measured("Leveller", chainOf("slow-leveller", { thresholdDb: -28, ratio: 3, makeupDb: 3 }));
    expect(words(wire, leveller).join(" ")).toMatch(/Gain at −1 dBFS re −28 dBFS: Wire 0\.0 dB, Leveller −15\.\d dB\./);
    // Nor by a curve that holds this gain as the sweep began.
    const newer = chainOf("slow-leveller", { thresholdDb: -28, ratio: 2.5, kneeDb: 6, makeupDb: 6.5 });
    for (const other of [wire, measured("Newer", newer)])
      expect(words(leveller, other).join(" ")).not.toMatch(/Response/);
    // 4:1 over −40 dBFS with a release of 3 s is not back before the steps reach the threshold; above, a step of 3 dB takes 2.25 off.
    const slow = measured("Slow", compressor({ thresholdDb: -40, ratio: 4, releaseMs: 3000 }));
    expect(words(slow, wire).join(" ")).toMatch(/Gain at −1 dBFS re −25 dBFS: Slow −17\.\d dB, Wire 0\.0 dB\./);
    // A gain that opens as level rises is no gain that comes back.
    const harmonics = wire.report.harmonics.map((tone) => ({
      ...tone,
      outDbfs: tone.outDbfs + Math.min(0, 2 * (tone.levelDbfs + 30)),
    }));
    const expander = { title: "Expander", report: { ...wire.report, harmonics } };
    expect(words(expander, wire).join(" ")).toMatch(
      /Gain at −28 dBFS re −58 dBFS: Expander \+56\.0 dB, Wire 0\.0 dB\./,
    );
  });
  it("are not held against each other at levels that one was not measured at", () => {
    const soft = { title: "Soft", report: benchChain(compressor({ ratio: 2 }), { ...FORM, levelDbfs: -12 }) };
    expect(compareReports(four, soft).some(({ what }) => what === "harmonics")).toBe(false);
  });
});

describe("a law", () => {
  it("is not told of what still lets go of earlier sounds while the steps rise, only its points are", () => {
    // A threshold of −28 dBFS and a knee of 15 dB, let go of within 1.8 s: where the steps pass the rest of an old reduction is no threshold.
    const { report } = measured("Leveller", chainOf("slow-leveller", { thresholdDb: -28, ratio: 3, kneeDb: 15 }));
    expect(report.static?.thresholdDbfs).toBeNull();
    expect(report.static?.ratio).toBeNull();
    expect(report.static?.points).toHaveLength(20);
    expect(report.kind.name).toBe("compressor");
    const lines = [line("Threshold", "-28", "dBFS"), line("Ratio", "3", ":1")];
    expect(panelCheck(lines, report)).toEqual([null, null]);
  });
  it("is that of the dial or not told, wherever its dials stand", () => {
    const log = (least: number, most: number) =>
      fc.double({ min: Math.log(least), max: Math.log(most), noNaN: true }).map(Math.exp);
    const controls = fc.record({
      thresholdDb: fc.double({ min: -45, max: -16, noNaN: true }),
      // From 20:1 on it is reported as a limiter, by a sine.
      ratio: log(1.5, 15),
      kneeDb: fc.double({ min: 0, max: 15, noNaN: true }),
      attackMs: log(0.5, 300),
      releaseMs: log(10, 5000),
      detector: fc.constantFrom("peak", "RMS"),
    });
    fc.assert(
      fc.property(controls, (settings) => {
        const { static: staticCurve, key } = benchChain(compressor(settings), { ...SMALL_FORM, levelDbfs: -6 });
        for (const told of [staticCurve, key])
          if (told?.thresholdDbfs != null && told.ratio !== null) {
            expect(Math.abs(told.thresholdDbfs - settings.thresholdDb)).toBeLessThan(0.8);
            expect(Math.abs(told.ratio / settings.ratio - 1)).toBeLessThan(0.1);
          }
      }),
      { numRuns: 10 },
    );
  });
  it("begins where the gain is at rest, whatever was let go of before", () => {
    const fall = [0, 0, -0.4, -2, -4, -6, -8];
    expect(firstAtRest(fall)).toBe(0);
    expect(firstAtRest([-0.5, -0.1, -0.01, 0, 0, -2, -4, -6])).toBe(2);
    expect(firstAtRest([-3, -2.5, -2.1, -1.8, -2.6, -4.5, -6.5])).toBeNull();
    // An expander's gain only rises.
    expect(firstAtRest([-9, -6, -3, -1, 0, 0])).toBe(0);
  });
});

describe("a panel beside what was measured", () => {
  it("is told threshold, ratio, attack and release of a compressor", () => {
    const chain = compressor({ thresholdDb: -30, ratio: 3, attackMs: 20, releaseMs: 200 });
    const lines = settingsOfChain(chain);
    const readings = panelCheck(lines, benchChain(chain, FORM));
    const of = (parameter: string) => readings[lines.findIndex((l) => l.parameter === parameter)];
    expect(of("Threshold")?.words).toBe("−30.0 ±0.1 dBFS");
    expect(of("Ratio")?.words).toBe("3.0:1 ±0.1");
    // What is off by no more than its error says so.
    expect(of("Ratio")?.error).toMatch(/^[+−]?\d\.\d ±2\.\d %$/);
    expect(of("Attack")?.words).toMatch(/^(19|20)\.\d( ±0\.\d)? ms$/);
    expect(of("Release")?.words).toMatch(/^(19\d|20\d)( ±\d)? ms$/);
    expect(of("Make-up")).toBeNull();
    expect(of("Detector")).toBeNull();
  });
  it("shows a dial that reads 1.2 kHz and measures 1.05", () => {
    const report = benchChain(equalizer(bell(1050, 4, 1.4), bell(120, -3, 0.8)), FORM);
    const lines = [
      line("Mid frequency", "1.2", "kHz"),
      line("Mid gain", "4,5", "dB"),
      line("Mid Q", "1.4"),
      line("Low frequency", "120 Hz"),
      line("Low gain", "−3", "dB"),
      line("High frequency", "14k", "Hz"),
      line("Colour", "warm"),
    ];
    const [hertz, gain, q, low, lowGain, high, words] = panelCheck(lines, report);
    expect(hertz).toEqual({ words: "1.05 kHz", error: "−12.5 %" });
    expect(gain).toEqual({ words: "4.00 dB", error: "−0.5 dB" });
    expect(q?.words).toBe("1.40");
    expect(low?.words).toBe("120 Hz");
    expect(lowGain?.words).toBe("−3.00 dB");
    // Nothing was found within an octave of it.
    expect(high).toBeNull();
    expect(words).toBeNull();
    const [lowBand, midBand] = report.fitted;
    expect(controlWords(lines, report, midBand)).toBe(
      "Mid frequency 1.2 kHz: −12.5 %, Mid gain 4,5 dB: −0.5 dB, Mid Q 1.4: 0.0 %",
    );
    expect(controlWords(lines, report, lowBand)).toBe("Low frequency 120 Hz: 0.0 %, Low gain −3 dB: 0.0 dB");
    expect(controlWords([line("Colour", "warm")], report, midBand)).toBeNull();
  });
  it("does not guess where two dials have one name, or a plain dial stands for a gain of its own", () => {
    const report = four.report;
    expect(panelCheck([line("Release", "120", "ms"), line("Slow release", "2", "s")], report)).toEqual([null, null]);
    const plain = [line("Frequency", "1000", "Hz"), line("Gain", "6", "dB"), line("Make-up", "3", "dB")];
    const [frequency, gain, makeUp] = panelCheck(plain, tone.report);
    expect(frequency?.words).toBe("1 kHz");
    expect(gain?.error).toBe("0.0 dB");
    expect(makeUp).toBeNull();
  });
});

describe("a page", () => {
  it("has room for eight sentences, others stand in small print", () => {
    const many = Array.from({ length: 10 }, (_, n) => `Sentence ${n}.`);
    expect(onAPage(many.slice(0, 3))).toEqual({ sentences: many.slice(0, 3), others: [] });
    expect(onAPage(many)).toEqual({ sentences: many.slice(0, 8), others: many.slice(8) });
  });
});
