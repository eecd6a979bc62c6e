import { describe, expect, it } from "vitest";
import { compressedLevelDb } from "../../processors/level-detection";
import { gainModel as model } from "../../testing/gain-models";
import type { StaticCurve } from "../read/static-curve";
import type { GainModel } from "./gain-model";
import { staticCurveFound } from "./static-curve-found";

const LEVELS = Array.from({ length: 20 }, (_, i) => -69 + 3 * i);

const pointsBy = (out: (inDbfs: number) => number): StaticCurve => ({
  points: LEVELS.map((inDbfs) => ({ inDbfs, outDbfs: out(inDbfs) })),
  gainDb: 0,
  thresholdDbfs: null,
  ratio: null,
  kneeDb: null,
  misfitDb: null,
});

const compressed = (threshold: number, ratio: number, knee = 0) =>
  pointsBy((level) => compressedLevelDb(level, threshold, ratio, knee));

/** An expander's curve from the textbook: below the threshold (ratio − 1) dB a dB, down to the range. */
const expanded = (threshold: number, ratio: number, range: number) =>
  pointsBy((level) => level + Math.max(-range, Math.min(0, (ratio - 1) * (level - threshold))));

describe("a static curve", () => {
  it("is told of a model that the steady levels follow; a knee only where 3 dB between levels show it", () => {
    const hard = staticCurveFound(model({}), compressed(-30, 4), 0, 0);
    expect(hard.staticCurveWithheld).toBe(null);
    expect(hard.staticCurve).toMatchObject({ thresholdDbfs: -30, ratio: 4, kneeDb: null });
    const soft = staticCurveFound(model({ kneeDb: 12 }), compressed(-30, 4, 12), 0, 0);
    expect(soft.staticCurve?.kneeDb).toBe(12);
    const unsure = { ...model({}).errors, kneeDb: 2 };
    expect(
      staticCurveFound(model({ kneeDb: 12, errors: unsure }), compressed(-30, 4, 12), 0, 0).staticCurve?.kneeDb,
    ).toBe(null);
  });

  it("takes ratio and threshold from the highest levels where these lie on a line of another ratio", () => {
    // What a detector that hears a filtered wave makes of 4:1: a model of one threshold reads 3.6:1 with a knee.
    const rounded = pointsBy((level) => Math.min(level, compressedLevelDb(level, -31.6, 4, 9)));
    const { staticCurve, staticCurveWithheld } = staticCurveFound(
      model({ thresholdDbfs: -32.1, ratio: 3.6, kneeDb: 7.5 }),
      rounded,
      0,
      0,
    );
    expect(staticCurveWithheld).toBe(null);
    expect(staticCurve?.ratio).toBeCloseTo(4, 6);
    expect(staticCurve?.thresholdDbfs).toBeCloseTo(-31.6, 6);
    expect(staticCurve?.kneeDb).toBe(null);
    // On no line, and not the model's: no ratio is.
    const bent = pointsBy((level) => (level < -30 ? level : level - 0.008 * (level + 30) ** 2 - 0.3 * (level + 30)));
    expect(staticCurveFound(model({ ratio: 3 }), bent, 0, 0).staticCurveWithheld).toBe("noModel");
  });

  it("of an expander is told where two levels lie between floor and threshold: any higher ratio would do else", () => {
    const two = { curve: "expander", thresholdDbfs: -35, ratio: 2, rangeDb: 40 } as const;
    expect(staticCurveFound(model(two), expanded(-35, 2, 40), 0, 0).staticCurve).toMatchObject({
      thresholdDbfs: -35,
      ratio: 2,
    });
    // Floor reached 3 dB under the threshold: 14:1 explains a gate of 30:1 as well.
    const gate = { curve: "expander", thresholdDbfs: -45, ratio: 14.4, rangeDb: 40 } as const;
    const { staticCurve, staticCurveWithheld } = staticCurveFound(model(gate), expanded(-45, 30, 40), 0, 0);
    expect(staticCurveWithheld).toBe("undetermined");
    expect(staticCurve).toMatchObject({ thresholdDbfs: null, ratio: null });
  });

  it("says why it is not told: noise only where it would be known without", () => {
    const errors = { ...model({}).errors, thresholdDb: 2 };
    const reasonOf = (own: Partial<GainModel>, noiseDb: number) =>
      staticCurveFound(model(own), compressed(-30, 4), noiseDb, noiseDb).staticCurveWithheld;
    expect(reasonOf({ errors, fittedDb: 0.01 }, 0.3)).toBe("noise");
    expect(reasonOf({ errors, fittedDb: 0.01 }, 0)).toBe("undetermined");
    expect(reasonOf({ detector: "parallel" }, 0)).toBe("parallel");
    expect(reasonOf({ heldOutDb: 2 }, 0)).toBe("noModel");
  });
});
