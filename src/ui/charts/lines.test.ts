import { scaleLinear, scaleLog } from "d3-scale";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { NOTHING } from "@/core/spectrum/spectrogram";
import { decimalsOf, type Plot, viewWithin } from "./chart-frame";
import { linePath, nearest, spanOf } from "./lines-chart";
import { marksApart } from "./marks-apart";
import { oneAxis, readAt } from "./one-axis";
import { cellDb, type Painting } from "./spectrogram-image";

const plot = (domain: [number, number], width = 100): Plot => ({
  x: scaleLinear(domain, [0, width]),
  y: scaleLinear([0, 10], [100, 0]),
  width,
  height: 100,
});
const pointsOf = (path: string) =>
  [...path.matchAll(/([ML])(-?[\d.]+),(-?[\d.]+)/g)].map(([, kind, x, y]) => ({ kind, x: Number(x), y: Number(y) }));

describe("the nearest of places", () => {
  it("is found as by looking at each", () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: -100, max: 100, noNaN: true }), { minLength: 1, maxLength: 50 }),
        fc.double({ min: -120, max: 120, noNaN: true }),
        (places, x) => {
          const xs = Float64Array.from(places).sort();
          const found = nearest(xs, x);
          for (const other of xs) expect(Math.abs(xs[found] - x)).toBeLessThanOrEqual(Math.abs(other - x) + 1e-12);
        },
      ),
    );
  });
});

describe("a line", () => {
  it("goes through its points, and is broken where there is none", () => {
    const points = pointsOf(linePath([0, 1, 2, 3, 4], [0, 5, Number.NaN, 10, 5], plot([0, 4])));
    expect(points).toEqual([
      { kind: "M", x: 0, y: 100 },
      { kind: "L", x: 25, y: 50 },
      { kind: "M", x: 75, y: 0 },
      { kind: "L", x: 100, y: 50 },
    ]);
  });

  it("keeps the lowest and the highest of each pixel where there are many, whatever the place in sight", () => {
    const count = 100_000;
    const xs = Float64Array.from({ length: count }, (_, i) => i);
    const values = Float64Array.from({ length: count }, (_, i) => (i === 50_123 ? 10 : i === 70_001 ? 0 : 5));
    const all = pointsOf(linePath(xs, values, plot([0, count])));
    expect(all.length).toBeLessThan(300);
    expect(Math.min(...all.map((p) => p.y))).toBe(0);
    expect(Math.max(...all.map((p) => p.y))).toBe(100);
    expect(all.find((p) => p.y === 0)?.x).toBeCloseTo(50.5, 1);
    // Looked at closely it is there as well, and what is out of sight is not drawn.
    const close = pointsOf(linePath(xs, values, plot([50_000, 50_200])));
    expect(close.some((p) => p.y === 0)).toBe(true);
    expect(close.length).toBeLessThan(300);
  });

  it("is drawn over a logarithm too, and is nothing where nothing is known", () => {
    const log: Plot = { ...plot([1, 10]), x: scaleLog([10, 1000], [0, 100]) as Plot["x"] };
    expect(pointsOf(linePath([10, 100, 1000], [5, 5, 5], log)).map((p) => p.x)).toEqual([0, 50, 100]);
    expect(linePath([1, 2, 3], [Number.NaN, Number.NaN, Number.NaN], plot([1, 3]))).toBe("");
    const long = Float64Array.from({ length: 5000 }, (_, i) => i);
    expect(linePath(long, new Float64Array(5000).fill(Number.NaN), plot([0, 5000]))).toBe("");
  });

  it("leaves out what an axis cannot show, however many there are", () => {
    const log: Plot = { ...plot([1, 10]), x: scaleLog([10, 1000], [0, 100]) as Plot["x"] };
    const many = Float64Array.from({ length: 4000 }, (_, i) => i);
    expect(linePath(many, new Float64Array(4000).fill(5), log)).not.toContain("NaN");
    expect(linePath([0, 100], [5, 5], log)).toBe("M50.00,50.00");
  });

  it("has room for all of it, and for no less than it is told", () => {
    expect(spanOf([], [-3, 3])).toEqual([-3.48, 3.48]);
    const [low, high] = spanOf([-10, Number.NaN, Number.POSITIVE_INFINITY, 20], [-3, 3]);
    expect(low).toBeLessThan(-10);
    expect(high).toBeGreaterThan(20);
    expect(high).toBeLessThan(25);
  });
});

describe("what is in sight", () => {
  it("is a part of all there is, and all of it where another stretch was chosen", () => {
    expect(viewWithin(null, [2, 8])).toEqual([2, 8]);
    expect(viewWithin([3, 4], [2, 8])).toEqual([3, 4]);
    expect(viewWithin([0, 4], [2, 8])).toEqual([2, 4]);
    expect(viewWithin([10, 12], [2, 8])).toEqual([2, 8]);
    expect(viewWithin([0, 2], [2, 8])).toEqual([2, 8]);
  });
});

describe("a cell of a spectrogram", () => {
  const painting = (more: Partial<Painting>): Painting => ({
    levels: Int16Array.of(-1000, -9000, NOTHING),
    over: null,
    offsetDb: 0,
    floorDb: -80,
    gainsDb: [0, 0],
    ...more,
  });

  it("is its level at its gain, and no figure where there is nothing", () => {
    const one = painting({ offsetDb: 3 });
    expect([0, 1, 2].map((i) => cellDb(one, i))).toEqual([-7, -87, Number.NaN]);
  });

  it("of two is what the second has over the first, where either is loud enough to be compared", () => {
    const two = painting({ over: Int16Array.of(-700, -9500, -500), gainsDb: [1, 0] });
    expect(cellDb(two, 0)).toBeCloseTo(2, 9);
    // Both lie under what is compared.
    expect(cellDb(two, 1)).toBeNaN();
    // Silence against sound has no ratio.
    expect(cellDb(two, 2)).toBeNaN();
  });
});

describe("decimals of an axis", () => {
  it("tell neighbouring ticks apart, and are no more than that", () => {
    for (const [step, decimals] of [
      [20, 0],
      [1, 0],
      [0.5, 1],
      [0.2, 1],
      [0.1, 1],
      [0.05, 2],
      [0.001, 3],
    ])
      expect(decimalsOf(step)).toBe(decimals);
    // One tick, or none, has no neighbour.
    expect(decimalsOf(Number.NaN)).toBe(0);
    for (const span of [0.013, 0.4, 1, 3, 6.9, 7, 12, 29, 150])
      for (const count of [2, 5, 9, 15]) {
        const ticks = scaleLinear([-span / 3, span], [0, 1]).ticks(count);
        const shown = ticks.map((tick) => tick.toFixed(decimalsOf(ticks[1] - ticks[0])));
        expect(new Set(shown).size).toBe(ticks.length);
      }
  });
});

describe("several lines of points over one axis", () => {
  const a = [-19, -13, -7, -1].map((x) => ({ x, y: 2 * x }));
  const b = [-30, -24, -18, -12].map((x) => ({ x, y: x }));
  it("has the places of all, each once", () => {
    expect(oneAxis([a, b, a])).toEqual([-30, -24, -19, -18, -13, -12, -7, -1]);
    expect(oneAxis([[{ x: 1000, y: 0 }], [{ x: 1000.01, y: 0 }]])).toEqual([1000]);
    expect(oneAxis([])).toEqual([]);
  });
  it("keeps each line whole between its ends, and draws nothing beyond them", () => {
    const xs = oneAxis([a, b]);
    const values = readAt(a, xs);
    for (const [i, x] of xs.entries())
      if (x < -19) expect(values[i]).toBeNaN();
      else expect(values[i]).toBeCloseTo(2 * x, 9);
    expect(readAt(b, xs).slice(-2).every(Number.isNaN)).toBe(true);
  });
  it("leaves a gap where a reading tells nothing, on either side of it", () => {
    const gapped = a.map((p) => (p.x === -13 ? { ...p, y: Number.NaN } : p));
    expect(readAt(gapped, [-19, -18, -13, -12, -7])).toEqual([-38, Number.NaN, Number.NaN, Number.NaN, -14]);
    expect(readAt([], [1, 2]).every(Number.isNaN)).toBe(true);
  });
});

describe("marks of an axis", () => {
  const named = (width: number, at: (hertz: number) => number) =>
    marksApart(
      [20, 5000, 10_000, 20_000].map((hertz) => ({
        at: at(hertz),
        text: hertz < 1000 ? String(hertz) : `${hertz / 1000}k`,
      })),
      width,
    );
  it("are all named where there is room, those at the ends inwards", () => {
    const marks = named(400, (hertz) => (400 * Math.log10(hertz / 20)) / 3);
    expect(marks.map(({ text, hasRoom, anchor }) => [text, hasRoom, anchor])).toEqual([
      ["20", true, "start"],
      ["5k", true, "middle"],
      ["10k", true, "middle"],
      ["20k", true, "end"],
    ]);
  });
  it("keep their line and lose their name where they would touch the next", () => {
    const marks = named(200, (hertz) => (200 * Math.log10(hertz / 20)) / 3);
    expect(marks.filter(({ hasRoom }) => !hasRoom).map(({ text }) => text)).toEqual(["10k"]);
    expect(marks).toHaveLength(4);
  });
});
