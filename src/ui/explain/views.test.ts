import fc from "fast-check";
import { beforeEach, describe, expect, it } from "vitest";
import type { Rotation } from "@/core/dynamics/rotation";
import type { Shape } from "@/core/dynamics/shape";
import type { TransientReading } from "@/core/dynamics/transient-shape";
import type { LadderStep } from "@/core/ladder/ladder-schema";
import { stepWords } from "@/core/words/explain-steps";
import { gainSentence, rotationSentence, shapeSentence, transientSentence } from "@/core/words/explain-views";
import { axisClock } from "@/core/words/units";
import type { Render } from "@/store/records";
import { csvOfRows, spread } from "./candidates-view";
import { dropCurve, keepCurves, keptLine, MOST_KEPT, renameCurve, useKeptCurves } from "./kept-curves";
import { columnFramesFor, piecesIn } from "./pieces";
import { type CandidateRow, SILENT_DB } from "./use-candidates";

describe("the pieces of a picture over time", () => {
  it("cover what is in sight, at powers of two, with few columns more than pixels", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 30_000_000 }),
        fc.integer({ min: 1, max: 30_000_000 }),
        fc.constantFrom(1, 64, 256),
        (from, length, least) => {
          const columnFrames = columnFramesFor([from, from + length], least);
          expect(Math.log2(columnFrames / least) % 1).toBe(0);
          const pieces = piecesIn([from, from + length], columnFrames, 256);
          expect(pieces[0]).toBeLessThanOrEqual(from);
          expect((pieces.at(-1) ?? 0) + 256 * columnFrames).toBeGreaterThanOrEqual(from + length);
          expect(pieces.length).toBeLessThanOrEqual(900 / 256 + 2);
          for (const [i, start] of pieces.entries()) {
            expect(start % (256 * columnFrames)).toBe(0);
            if (i > 0) expect(start - pieces[i - 1]).toBe(256 * columnFrames);
          }
        },
      ),
    );
  });

  it("are the same ones wherever the view is moved, so that none is worked out twice", () => {
    const columnFrames = columnFramesFor([0, 48_000], 64);
    const moved = columnFramesFor([10_000, 58_000], 64);
    expect(moved).toBe(columnFrames);
    const [first, second] = [piecesIn([0, 48_000], 64, 256), piecesIn([10_000, 58_000], 64, 256)];
    expect(second.filter((start) => first.includes(start)).length).toBeGreaterThan(0);
  });
});

describe("what is said of dynamics", () => {
  const curve = (title: string, values: number[]) => ({ title, colour: "", values: Float32Array.from(values) });
  const moving = Array.from({ length: 1000 }, (_, i) => -4 * (i / 999));

  it("says how far a gain moves in nine moments of ten, and leaves what stays alone", () => {
    expect(gainSentence([curve("Here against dry", [1, 1, 1, Number.NaN])])).toContain("gain within 0.5\u2009dB");
    // From 0 to −4 dB evenly: nine tenths of it are 3.6.
    expect(gainSentence([curve("Yonder against dry", moving)])).toContain("gain range 3.6\u2009dB");
    expect(gainSentence([curve("Yonder", [Number.NaN])])).toContain("gain not measurable");
  });

  const shape = (more: Partial<Shape>): Shape => ({
    upDbfs: -1,
    downDbfs: -1,
    rmsDbfs: -15,
    crestDb: 14,
    shares: new Float64Array(0),
    nearPeak: 0.000_02,
    longestRun: 1,
    runs: 0,
    ...more,
  });
  it("says how flat each was made", () => {
    const words = shapeSentence([shape({}), shape({ nearPeak: 0.02, runs: 31, longestRun: 17, crestDb: 9 })]);
    expect(words).toContain("Here: 0.002\u2009% of samples within 1\u2009dB of the peak, crest 14.0\u2009dB.");
    expect(words).toContain("31 flat tops (longest 17\u2009smp), crest 9.0\u2009dB.");
    expect(words.split("Yonder")[0]).not.toContain("flat");
  });

  const rotation = (peakDbfs: number[], beforeDb: number[], transients = 4): Rotation => ({
    degrees: Float64Array.from({ length: peakDbfs.length }, (_, i) => 45 * i),
    peakDbfs: Float64Array.from(peakDbfs),
    beforeDb: Float64Array.from(beforeDb),
    onsets: transients,
  });
  it("says what turning phases would win and cost, and nothing where it wins nothing", () => {
    const words = rotationSentence([
      rotation([-6, -5, -5.5], [-30, -20, -25]),
      rotation([-3, -4.2, -3.5], [-30, -24, -28]),
    ]);
    expect(words).toContain("Here peaks lowest without rotation");
    expect(words).toContain("Yonder peaks 1.2\u2009dB lower rotated by 45°, with 6.0\u2009dB more before transients");
    expect(
      rotationSentence([rotation([-3, -4, -3], [Number.NaN, -24, -28], 0), rotation([-3, -4, -3], [0, 0, 0])]),
    ).not.toContain("before transients");
  });
});

describe("what is said of onsets", () => {
  const reading = (beforeDb: number | null, halfMs: number | null): TransientReading => ({
    levelDb: new Float64Array(0),
    beforeDb,
    halfMs,
  });

  it("names what comes before and what comes late, and nothing slight", () => {
    expect(transientSentence(reading(-40, 5), reading(-39.5, 5.1))).toBe("No difference at transients.");
    expect(transientSentence(reading(-40, 5), reading(-28, 6.5))).toBe(
      "Yonder's transients have 12.0\u2009dB more before them and half of their energy 1.5\u2009ms later.",
    );
    expect(transientSentence(reading(null, 5), reading(-60, 5))).toContain("energy before them, where Here is silent");
    expect(transientSentence(reading(-60, 5), reading(null, 5))).toContain("silence before them");
    expect(transientSentence(null, reading(-60, 5))).toBe("");
  });
});

describe("curves that are kept", () => {
  const one = (title: string) => ({ title, isRelative: true, hertz: [100], levels: Float64Array.of(1) });
  beforeEach(() => useKeptCurves.setState({ curves: [] }));

  it("are as many as can be told apart, each with a dash of its own, renamed and let go of", () => {
    keepCurves(Array.from({ length: 6 }, (_, i) => one(`curve ${i}`)));
    keepCurves([one("seventh"), one("eighth"), one("ninth")]);
    const titles = () => useKeptCurves.getState().curves.map((c) => c.title);
    expect(titles().length).toBe(MOST_KEPT);
    expect(titles()).not.toContain("ninth");
    expect(new Set(Array.from({ length: MOST_KEPT }, (_, n) => keptLine(n).dash)).size).toBe(MOST_KEPT);
    const [first, second] = useKeptCurves.getState().curves;
    renameCurve(first.id, "mine");
    dropCurve(second.id);
    expect(titles()[0]).toBe("mine");
    expect(titles()).not.toContain("curve 1");
    // Never in a colour that means a side.
    for (let n = 0; n < MOST_KEPT; n++) expect(keptLine(n).colour).not.toMatch(/here|yonder|difference/);
  });
});

describe("candidates as a file", () => {
  const row = (more: Partial<CandidateRow>): CandidateRow => ({
    render: {} as Render,
    title: "Bus compressor",
    ladder: undefined,
    levelDb: -19.512_34,
    eqImprovementDb: 0,
    gainOverTimeImprovementDb: 40,
    saturationImprovementDb: null,
    residualDb: -59.5,
    eqDifferenceDb: 0.5,
    gainRangeDb: 2.8,
    crestDb: 17.8,
    phase: "unknown",
    moment: {
      startSeconds: 5.4,
      endSeconds: 5.8,
      lowHertz: 893,
      highHertz: 1250,
      probability: 0.4,
      criterion: "change",
      overMaskDb: -0.1,
    },
    probability: 0.4,
    ...more,
  });

  it("are figures with their units over them, and nothing where one is not known", () => {
    const { columns, rows } = csvOfRows([
      row({}),
      row({ levelDb: undefined, phase: undefined, moment: null, probability: null }),
    ]);
    for (const r of rows) expect(r.length).toBe(columns.length);
    expect(rows[0].slice(0, 6)).toEqual(["Bus compressor", -19.512, 0, 40, null, -59.5]);
    expect(rows[0].slice(-4)).toEqual(["unknown", 5.4, 5.8, 0.4]);
    expect(rows[1][1]).toBeNull();
    expect(rows[1].slice(-4)).toEqual([null, null, null, null]);
  });

  it("name silence instead of a very low figure, and no step takes hundreds of decibels", () => {
    const [silent] = csvOfRows([row({ residualDb: SILENT_DB, eqImprovementDb: -18 - SILENT_DB })]).rows;
    expect(silent[5]).toBe("silence");
    expect(silent[2]).toBeNull();
  });
});

describe("labels of the map", () => {
  it("do not lie on each other where places do, and stay where there is room", () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ px: fc.integer({ min: 0, max: 150 }), py: fc.integer({ min: 0, max: 100 }) }), {
          minLength: 1,
          maxLength: 9,
        }),
        (placed) => {
          const ys = spread(placed);
          const sorted = ys.toSorted((a, b) => a - b);
          for (let i = 1; i < sorted.length; i++) expect(sorted[i] - sorted[i - 1]).toBeGreaterThanOrEqual(14);
          for (const [i, y] of ys.entries()) expect(y).toBeGreaterThanOrEqual(placed[i].py);
        },
      ),
    );
    expect(
      spread([
        { px: 0, py: 10 },
        { px: 500, py: 10 },
      ]),
    ).toEqual([10, 10]);
    expect(
      spread([
        { px: 0, py: 10 },
        { px: 0, py: 60 },
      ]),
    ).toEqual([10, 60]);
  });
});

describe("what is left, in words", () => {
  const left = (residualDb: number | null, kinds: Extract<LadderStep, { step: "left" }>["kinds"]): LadderStep => ({
    step: "left",
    residualDb,
    kinds,
  });

  it("names no part that nobody could care about, but how a file was written", () => {
    expect(stepWords(left(-40, [{ kind: "noise", shareDb: -41 }]), -40)).toBe("steady noise");
    expect(stepWords(left(-107, [{ kind: "inharmonic", shareDb: -110 }]), -107)).toBe("too small to matter");
    expect(stepWords(left(-96, [{ kind: "dither", bits: 16, shareDb: -96 }]), -96)).toBe("dither at 16\u2009bits");
    expect(stepWords(left(null, []), null)).toBe("none");
    expect(stepWords(left(-60, []), -60)).toBeNull();
  });
});

describe("time on an axis", () => {
  it("is short at whole seconds, and in full between them", () => {
    expect([0, 22, 75].map(axisClock)).toEqual(["0:00", "0:22", "1:15"]);
    expect(axisClock(7.48)).toBe("0:07.480");
  });
});
