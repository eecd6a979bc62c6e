import { scaleLinear } from "d3-scale";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { type Alignment, type FoundAlignment, IN_STEP } from "@/core/alignment/alignment";
import { planRightOrWrong } from "@/core/blind/plan";
import type { Run } from "@/core/blind/run";
import type { LadderStep } from "@/core/ladder/ladder-schema";
import { PROCESSORS } from "@/core/processors/registry";
import { BAND_FIELDS, settingFields } from "@/core/processors/setting-fields";
import { phaseOf } from "./blind/booth";
import { csvOf } from "./charts/chart-file";
import { audible, frequencyMarks, shortHertz } from "./charts/frequency-axis";
import { spectrumColumns, spectrumPath } from "./charts/live-spectrum";
import { magnitudePath, magnitudes, thinned } from "./charts/waveform-path";
import { stepWords } from "./explain/step-words";
import {
  clock,
  decibels,
  hertzText,
  kilohertz,
  megabytes,
  number,
  overShare,
  plural,
  shortClock,
  signed,
  withUnit,
} from "./format";
import { inStepWords } from "./shell/in-step-words";
import { STOPS, stopOf, stopPath } from "./shell/stops";

describe("figures for people", () => {
  it("say over how much of a stretch they stand where that is not all of it", () => {
    expect([1, 0.9995, 0].map(overShare)).toEqual(["", "", "nothing in common"]);
    expect(overShare(0.776)).toMatch(/^over 77.% of it$/);
  });

  it("use a real minus sign, a fixed number of decimals, and a dash for no figure", () => {
    expect(number(-16.24)).toBe("−16.2");
    expect(number(-0.04)).toBe("0.0");
    expect(number(2.7149, 2)).toBe("2.71");
    for (const none of [null, undefined, Number.NaN, Number.NEGATIVE_INFINITY]) expect(number(none)).toBe("–");
  });

  it("show the sign of a gain always", () => {
    expect(signed(2.71, 2)).toBe("+2.71");
    expect(signed(-2.71, 2)).toBe("−2.71");
    expect(signed(null)).toBe("–");
  });

  it("set a thin space before the unit, and no unit after a dash", () => {
    expect(decibels(-2, "dBTP")).toBe("−2.0\u2009dBTP");
    expect(withUnit("–", "dB")).toBe("–");
    expect(kilohertz(44_100)).toBe("44.1\u2009kHz");
    expect(megabytes(41_400_000)).toBe("41\u2009MB");
    expect(megabytes(20)).toBe("under 1\u2009MB");
  });

  it("write times to the millisecond, without a sixtieth second", () => {
    expect(clock(7.48)).toBe("0:07.480");
    expect(clock(59.9996)).toBe("1:00.000");
    expect(clock(754.0205)).toBe("12:34.021");
    expect(shortClock(59.7)).toBe("1:00");
    expect(plural(1, "render")).toBe("1 render");
    expect(plural(2, "entry", "entries")).toBe("2 entries");
  });
});

describe("how a render lies, in words", () => {
  const lying = (change: Partial<FoundAlignment>): Alignment => ({
    ...IN_STEP,
    ...change,
  });

  it("says in step only of what is", () => {
    expect(inStepWords(lying({}))).toMatchObject({ words: "In step", tone: "good" });
    expect(inStepWords(undefined)).toMatchObject({ words: "Lining up…", tone: "none" });
    expect(inStepWords({ found: false, reason: "the render is silent", confidence: 0 })).toMatchObject({
      words: "Not in step: the render is silent",
      tone: "wrong",
    });
  });

  it("says what was put right", () => {
    expect(inStepWords(lying({ delaySamples: 64 })).words).toBe("64 samples late, corrected");
    expect(inStepWords(lying({ delaySamples: -1 })).words).toBe("1 sample early, corrected");
    expect(inStepWords(lying({ polarity: { left: -1, right: -1 }, delaySamples: 5 })).words).toBe(
      "5 samples late; flipped, corrected",
    );
  });

  it("tells fractions, drift, and which channel was wrong", () => {
    expect(inStepWords(lying({ driftPpm: -3.1, delaySamples: 2.254 }))).toEqual({
      words: "2.25 samples late; clock 3.1 ppm slow, corrected",
      short: "2.25 smp late, 3.1 ppm",
      tone: "good",
    });
    expect(inStepWords(lying({ driftPpm: -999, delaySamples: -0.001 })).words).toBe("Clock 999.0 ppm slow, corrected");
    const oneSide = lying({ polarity: { left: 1, right: -1 }, swapped: true });
    expect(inStepWords(oneSide).words).toBe("Right flipped, swapped, corrected");
  });

  it("tells a doubt with its reason", () => {
    expect(inStepWords(lying({ delaySamples: 3, doubt: "a steady tone" }))).toEqual({
      words: "3 samples late, corrected; unsure: a steady tone",
      short: "Unsure: 3 smp late",
      tone: "care",
    });
  });
});

describe("a waveform", () => {
  const overview = { lows: Float32Array.from([-0.5, -0.1, 0, -1]), highs: Float32Array.from([0.25, 0.4, 0, 0.5]) };

  it("is drawn from the larger of its two sides, and keeps peaks when thinned", () => {
    expect(Array.from(magnitudes(overview))).toEqual([0.5, Math.fround(0.4), 0, 1]);
    expect(Array.from(thinned(magnitudes(overview), 2))).toEqual([0.5, 1]);
    expect(thinned(magnitudes(overview), 10)).toHaveLength(4);
  });

  it("grows from the line to its tip at full scale, and no further", () => {
    const numbers = (path: string) => (path.match(/-?\d+(\.\d+)?/g) ?? []).map(Number);
    const up = numbers(magnitudePath(Float32Array.from([1, 3]), 100, 48, 2, 1));
    expect(Math.min(...up.filter((_, i) => i % 2 === 1))).toBeGreaterThanOrEqual(0);
    expect(up).toContain(2);
    expect(magnitudePath(new Float32Array(0), 100, 48, 2, 1)).toBe("");
  });
});

describe("the seven stops", () => {
  it("stand in the order people work, each with an address", () => {
    expect(STOPS.map((s) => s.title)).toEqual(["Gather", "Line up", "Listen", "Blind", "Explain", "Bench", "Findings"]);
    expect(stopOf("bench")?.title).toBe("Bench");
    expect(stopOf("nowhere")).toBeUndefined();
    expect(stopPath("42", "bench")).toBe("/comparison/42/bench");
  });
});

describe("a frequency for people", () => {
  it("is told in Hz under a thousand, in kHz from there, as far as an ear tells", () => {
    expect([85.4, 999, 1200, 12_500].map(hertzText).map((t) => t.replace("\u2009", " "))).toEqual([
      "85 Hz",
      "999 Hz",
      "1.20 kHz",
      "12.5 kHz",
    ]);
  });
});

describe("where a run stands", () => {
  const run = (trials: number, taken: number, training = 0) =>
    ({
      plan: planRightOrWrong({ kind: "abx", trials: 40, training }),
      trials: Array.from({ length: trials }),
      trained: { taken, right: 0 },
    }) as unknown as Run;

  it("trains first, rests after twelve answers, and goes on where it was", () => {
    expect(phaseOf(run(0, 1, 3), 0)).toEqual({ phase: "training", number: 1 });
    expect(phaseOf(run(0, 3, 3), 0)).toEqual({ phase: "trial", number: 0 });
    expect(phaseOf(run(11, 3, 3), 0)).toEqual({ phase: "trial", number: 11 });
    expect(phaseOf(run(12, 0), 0)).toEqual({ phase: "rest", number: 12 });
    expect(phaseOf(run(12, 0), 12)).toEqual({ phase: "trial", number: 12 });
    expect(phaseOf(run(24, 0), 12)).toEqual({ phase: "rest", number: 24 });
  });
});

describe("a spectrum for the eye", () => {
  it("puts the highest bin of each column where it belongs in log frequency, and draws between bins where they are wide", () => {
    const bins = new Float32Array(4096).fill(-90);
    // 1 kHz at 48 kHz: bin 1000 / (24000 / 4096).
    bins[Math.round(1000 / (24_000 / 4096))] = -10;
    const columns = spectrumColumns(bins, 48_000, [Math.log10(20), Math.log10(20_000)], 300);
    const top = columns.reduce((a, b) => (b.level > a.level ? b : a));
    expect(10 ** top.x / 1000).toBeCloseTo(1, 1);
    expect(columns).toHaveLength(300);
    expect(columns.every((c) => Number.isFinite(c.level))).toBe(true);
    // At 32 kHz there is nothing above 16.
    const few = spectrumColumns(bins, 32_000, [Math.log10(20), Math.log10(20_000)], 300);
    expect(10 ** (few.at(-1)?.x ?? 9)).toBeLessThan(16_100);
  });

  it("lays silence on the floor rather than nowhere", () => {
    const plot = { x: scaleLinear([0, 1], [0, 100]), y: scaleLinear([-100, 0], [50, 0]), width: 100, height: 50 };
    const path = spectrumPath(
      [
        { x: 0, level: Number.NEGATIVE_INFINITY },
        { x: 1, level: -50 },
      ],
      plot,
      -100,
    );
    expect(path).toBe("M0.0,50.0L100.0,25.0");
  });
});

describe("forms made from the processors' schemas", () => {
  it("can show every setting of every processor: a number with its range, a choice, a switch or bands", () => {
    for (const { key, parameters } of PROCESSORS) {
      const fields = settingFields(parameters);
      expect(
        fields.map((f) => f.name),
        key,
      ).toEqual(Object.keys(parameters.shape));
      for (const field of fields) {
        if (field.form === "number") expect(field.least).toBeLessThan(field.most);
        if (field.form === "choice") expect(field.options.length).toBeGreaterThan(1);
      }
    }
    expect(BAND_FIELDS.map((f) => f.label)).toEqual(["Kind", "Frequency", "Gain", "Q", "Slope"]);
  });

  it("refuses what it has no field for rather than leave it out", () => {
    expect(() => settingFields(z.object({ x: z.string().meta({ label: "X", unit: "" }) }))).toThrow("no form field");
  });
});

describe("a chart's files and axes", () => {
  it("writes figures in full, leaves out what is none, and quotes what needs it", () => {
    const table = {
      columns: ["Hz", "Yonder against Here, dB"],
      rows: [
        [100, -0.125],
        [1000, null],
        [10_000, Number.NaN],
        ['a "word"', 2],
      ],
    };
    expect(csvOf(table)).toBe('Hz,"Yonder against Here, dB"\r\n100,-0.125\r\n1000,\r\n10000,\r\n"a ""word""",2\r\n');
  });

  it("tells the usual frequencies, and finer ones when little is in sight", () => {
    expect(frequencyMarks([20, 20_000])).toEqual(expect.arrayContaining([20, 50, 100, 1000, 10_000, 20_000]));
    expect(frequencyMarks([900, 1600])).toEqual(expect.arrayContaining([1000, 1200, 1500]));
    expect([50, 1000, 2500, 12_500].map(shortHertz)).toEqual(["50", "1k", "2.5k", "12.5k"]);
    expect(audible(8000)).toEqual([20, 4000]);
    expect(audible(96_000)).toEqual([20, 20_000]);
  });
});

describe("the words of a step", () => {
  const words = (step: LadderStep, before: number | null = -20) => stepWords(step, before);

  it("say what was taken away, and where nothing was", () => {
    expect(words({ step: "time", residualDb: -12, delaySamples: 64.25, polarity: -1, driftPpm: 40 })).toBe(
      "+64.25\u2009samples, inverted, drift +40.00\u2009ppm",
    );
    expect(words({ step: "time", residualDb: -12, delaySamples: null, polarity: null, driftPpm: null })).toBe(
      "not found",
    );
    expect(words({ step: "level", residualDb: -12, gainDb: -2.714, nullGainDb: -2.72 })).toBe("−2.71\u2009dB");
    // Phase makes the gain of the deepest null small: it is told beside the level.
    expect(words({ step: "level", residualDb: -2, gainDb: -3, nullGainDb: -22.9 })).toBe(
      "−3.00\u2009dB, deepest null at −22.90\u2009dB",
    );
    expect(words({ step: "level", residualDb: 0, gainDb: null, nullGainDb: null })).toBe("no gain helps");
    const tone = { step: "tone", residualDb: -80, fittedDb: -82, taps: 1024, isCrossed: true } as const;
    expect(words(tone)).toBe("1024 taps, with crosstalk between channels");
    expect(words(tone, -80)).toBe("no improvement");
    const level = { step: "levelOverTime", residualDb: -50, fittedDb: -51, rangeDb: 3.21, knotSeconds: 0.01 } as const;
    expect(words({ ...level, bands: 1, edgesHz: [], isLinked: true })).toBe("range 3.2\u2009dB");
    expect(words({ ...level, bands: 2, edgesHz: [200], isLinked: false })).toBe(
      "range 3.2\u2009dB in 2 bands, split near 200\u2009Hz, channels not linked",
    );
  });

  it("say of a saturation whether it aliases only where that is measurable", () => {
    const bend = { step: "bend", residualDb: -60, fittedDb: -60, evenDb: -70, oddDb: -30.2 } as const;
    expect(words({ ...bend, folds: true, foldsByDb: 12.3 })).toBe(
      "even −70.0\u2009dB, odd −30.2\u2009dB; aliasing in the stretches fitted (fits 12.3\u2009dB better without oversampling)",
    );
    expect(words({ ...bend, folds: false, foldsByDb: -8 })).toContain(
      "no aliasing found in the stretches fitted (fits 8.0\u2009dB better with oversampling)",
    );
    expect(words({ ...bend, folds: true, foldsByDb: 0.04 })).toMatch(/; aliasing in the stretches fitted$/);
    expect(words({ ...bend, folds: null, foldsByDb: 0.1 })).toContain("aliasing not measurable here");
  });

  it("name what is left, the two loudest of it", () => {
    const left = (kinds: Extract<LadderStep, { step: "left" }>["kinds"], residualDb: number | null = -60) =>
      words({ step: "left", residualDb, kinds });
    expect(left([{ kind: "dither", bits: 16, shareDb: -60 }])).toBe("dither at 16\u2009bits");
    expect(
      left([
        { kind: "hum", hertz: 50, shareDb: -60 },
        { kind: "noise", shareDb: -70 },
        { kind: "clicks", shareDb: -80 },
      ]),
    ).toBe("hum at 50.0\u2009Hz, steady noise");
    expect(left([], null)).toBe("none");
  });
});
