import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { consensusLine, type DelayPoint, delayOn, jumpAlong, slopeAlong } from "./delay-line";

const FRAMES = 1_440_000;

/** Twelve points on a line, each off by what `scatter` gives. */
const pointsOn = (delaySamples: number, ppm: number, scatter: (i: number) => number = () => 0): DelayPoint[] =>
  Array.from({ length: 12 }, (_, i) => {
    const frame = ((i + 0.5) * FRAMES) / 12;
    return { frame, delaySamples: delaySamples + ppm * 1e-6 * frame + scatter(i), weight: 1, errorSamples: 0.01 };
  });

describe("the line of delay", () => {
  it("is flat where the delays are, and their mean", () => {
    const found = consensusLine(pointsOn(64.25, 0, (i) => (i % 2 ? 0.1 : -0.1)));
    expect(found?.line.slope).toBe(0);
    expect(found?.line.delaySamples).toBeCloseTo(64.25, 10);
    expect(found?.share).toBe(1);
  });

  it("goes through whatever clock error lies within what clocks do", () => {
    fc.assert(
      fc.property(
        fc.double({ min: -250, max: 250, noNaN: true }),
        fc.integer({ min: -1e5, max: 1e5 }),
        (ppm, delay) => {
          const found = consensusLine(pointsOn(delay, ppm));
          const points = pointsOn(delay, ppm);
          for (const p of points) {
            expect(
              Math.abs(delayOn(found?.line ?? { delaySamples: 0, slope: 0 }, p.frame) - p.delaySamples),
            ).toBeLessThan(1.5);
          }
        },
      ),
    );
  });

  it("is not tilted by parts where the search went astray", () => {
    const points = pointsOn(100, 20);
    points[3].delaySamples += 900;
    points[7].delaySamples -= 1500;
    points[11].delaySamples += 40;
    const found = consensusLine(points);
    expect((found?.line.slope ?? 0) * 1e6).toBeCloseTo(20, 6);
    expect(found?.share).toBeCloseTo(9 / 12, 10);
    const flat = pointsOn(100, 0);
    flat[0].delaySamples += 30;
    flat[11].delaySamples -= 30;
    expect(consensusLine(flat)?.line).toEqual({ delaySamples: 100, slope: 0 });
  });

  it("weighs parts by how well they are agreed on", () => {
    const points = pointsOn(10, 0).map((p, i) => (i < 7 ? p : { ...p, delaySamples: 500, weight: 3 }));
    expect(consensusLine(points)?.line.delaySamples).toBe(500);
  });

  it("is none without points", () => {
    expect(consensusLine([])).toBeNull();
  });
});

describe("the slope along a line", () => {
  const flat = { delaySamples: 0, slope: 0 };

  it("is told to a hundredth of a ppm over half a minute when delays scatter by a twentieth of a sample", () => {
    const random = seededRandom(3);
    const points = pointsOn(0, 0.8, () => 0.1 * (random() - 0.5));
    expect(Math.abs(slopeAlong(points, flat).slope * 1e6 - 0.8)).toBeLessThan(0.1);
  });

  it("is none within three standard errors of none, and none that spans less than a fiftieth of a sample", () => {
    for (let seed = 1; seed <= 20; seed++) {
      const random = seededRandom(seed);
      const points = pointsOn(0, 0, () => 0.2 * (random() - 0.5));
      expect(Math.abs(slopeAlong(points, flat).slope) * 1e6).toBeLessThan(0.25);
    }
    expect(slopeAlong(pointsOn(0, 0.01), flat).slope).toBe(0);
  });

  it.each([0, 0.02, 0.3, 5])("lies within the bound told, of %f ppm under scatter", (ppm) => {
    for (let seed = 1; seed <= 40; seed++) {
      const random = seededRandom(seed);
      const { slope, error } = slopeAlong(
        pointsOn(0, ppm, () => 0.2 * (random() - 0.5)),
        flat,
      );
      expect(Math.abs(slope * 1e6 - ppm)).toBeLessThanOrEqual(error * 1e6);
    }
  });

  it("says nothing of fewer than four points, and leaves out those far from the line", () => {
    expect(slopeAlong(pointsOn(0, 1).slice(0, 3), flat)).toEqual({ slope: 0, error: Number.POSITIVE_INFINITY });
    const points = pointsOn(0, 0.5);
    points[5].delaySamples += 300;
    expect(slopeAlong(points, flat).slope * 1e6).toBeCloseTo(0.5, 6);
  });
});

describe("a jump of the delay", () => {
  it("of three samples is told as a jump, where a line would pass for drift", () => {
    const random = seededRandom(5);
    const points = pointsOn(0, 0, (i) => (i < 6 ? 0 : -3) + 0.05 * (random() - 0.5));
    expect(jumpAlong(points)).toMatchObject({ fromFrame: points[5].frame, toFrame: points[6].frame });
    expect(jumpAlong(points)?.samples).toBeCloseTo(-3, 1);
  });

  it("is told though every part's error was put at a whole sample, and one part straddles it", () => {
    const random = seededRandom(8);
    const levels = (i: number) => (i < 7 ? 0.1 : i === 7 ? -1.4 : -2.9) + 0.02 * random();
    const points = pointsOn(0, 0, levels).map((p) => ({ ...p, errorSamples: 0.85 }));
    expect(jumpAlong(points)?.samples).toBeCloseTo(-3, 1);
  });

  it("is none where levels lie closer than the parts may be off", () => {
    const points = pointsOn(0, 0, (i) => (i < 7 ? 0 : 1)).map((p) => ({ ...p, errorSamples: 0.85 }));
    expect(jumpAlong(points)).toBeNull();
  });

  it("is none where a clock drifts, where parts scatter, or where one part went astray", () => {
    const random = seededRandom(6);
    expect(jumpAlong(pointsOn(5, 20))).toBeNull();
    expect(jumpAlong(pointsOn(5, 0, () => random() - 0.5).map((p) => ({ ...p, errorSamples: 1 })))).toBeNull();
    expect(jumpAlong(pointsOn(5, 0, (i) => (i === 4 ? 700 : 0)))).toBeNull();
    expect(jumpAlong(pointsOn(5, 0).slice(0, 3))).toBeNull();
  });
});
