import { scaleLinear } from "d3-scale";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { planRightOrWrong } from "@/core/blind/plan";
import type { Run } from "@/core/blind/run";
import type { LadderStep } from "@/core/ladder/ladder-schema";
import { PROCESSORS } from "@/core/processors/registry";
import { BAND_FIELDS, settingFields } from "@/core/processors/setting-fields";
import { stepWords } from "@/core/words/explain-steps";
import { phaseOf } from "./blind/booth";
import { csvOf } from "./charts/chart-file";
import { audible, frequencyMarks, shortHertz } from "./charts/frequency-axis";
import { spectrumColumns, spectrumPath } from "./charts/live-spectrum";
import { magnitudePath, magnitudes, thinned } from "./charts/waveform-path";
import { STOPS, stopOf, stopPath } from "./shell/stops";

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
    // Phase makes the gain of the deepest null small: it is reported beside the level.
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
    const saturation = { step: "bend", residualDb: -60, fittedDb: -60, evenDb: -70, oddDb: -30.2 } as const;
    expect(words({ ...saturation, folds: true, foldsByDb: 12.3 })).toBe(
      "even −70.0\u2009dB, odd −30.2\u2009dB; aliasing in the stretches fitted (fits 12.3\u2009dB better without oversampling)",
    );
    expect(words({ ...saturation, folds: false, foldsByDb: -8 })).toContain(
      "no aliasing found in the stretches fitted (fits 8.0\u2009dB better with oversampling)",
    );
    expect(words({ ...saturation, folds: true, foldsByDb: 0.04 })).toMatch(/; aliasing in the stretches fitted$/);
    expect(words({ ...saturation, folds: null, foldsByDb: 0.1 })).toContain("aliasing not measurable here");
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
