import { describe, expect, it } from "vitest";
import { compressedLevelDb } from "../../processors/level-detection";
import { gainModel as model } from "../../testing/gain-models";
import type { StaticLaw } from "../read/static-law";
import type { GainModel } from "./gain-model";
import { lawFound } from "./law";

const LEVELS = Array.from({ length: 20 }, (_, i) => -69 + 3 * i);

const pointsBy = (out: (inDbfs: number) => number): StaticLaw => ({
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
    const hard = lawFound(model({}), compressed(-30, 4), 0, 0);
    expect(hard.lawWithheld).toBe(null);
    expect(hard.law).toMatchObject({ thresholdDbfs: -30, ratio: 4, kneeDb: null });
    const soft = lawFound(model({ kneeDb: 12 }), compressed(-30, 4, 12), 0, 0);
    expect(soft.law?.kneeDb).toBe(12);
    const unsure = { ...model({}).errors, kneeDb: 2 };
    expect(lawFound(model({ kneeDb: 12, errors: unsure }), compressed(-30, 4, 12), 0, 0).law?.kneeDb).toBe(null);
  });

  it("takes ratio and threshold from the highest levels where these lie on a line of another ratio", () => {
    // What a detector that hears a filtered wave makes of 4:1: a model of one threshold reads 3.6:1 with a knee.
    const rounded = pointsBy((level) => Math.min(level, compressedLevelDb(level, -31.6, 4, 9)));
    const { law, lawWithheld } = lawFound(model({ thresholdDbfs: -32.1, ratio: 3.6, kneeDb: 7.5 }), rounded, 0, 0);
    expect(lawWithheld).toBe(null);
    expect(law?.ratio).toBeCloseTo(4, 6);
    expect(law?.thresholdDbfs).toBeCloseTo(-31.6, 6);
    expect(law?.kneeDb).toBe(null);
    // On no line, and not the model's: no ratio is.
    const bent = pointsBy((level) => (level < -30 ? level : level - 0.008 * (level + 30) ** 2 - 0.3 * (level + 30)));
    expect(lawFound(model({ ratio: 3 }), bent, 0, 0).lawWithheld).toBe("noModel");
  });

  it("of an expander is told where two levels lie between floor and threshold: any higher ratio would do else", () => {
    const two = { curve: "expander", thresholdDbfs: -35, ratio: 2, rangeDb: 40 } as const;
    expect(lawFound(model(two), expanded(-35, 2, 40), 0, 0).law).toMatchObject({ thresholdDbfs: -35, ratio: 2 });
    // Floor reached 3 dB under the threshold: 14:1 explains a gate of 30:1 as well.
    const gate = { curve: "expander", thresholdDbfs: -45, ratio: 14.4, rangeDb: 40 } as const;
    const { law, lawWithheld } = lawFound(model(gate), expanded(-45, 30, 40), 0, 0);
    expect(lawWithheld).toBe("undetermined");
    expect(law).toMatchObject({ thresholdDbfs: null, ratio: null });
  });

  it("says why it is not told: noise only where it would be known without", () => {
    const errors = { ...model({}).errors, thresholdDb: 2 };
    const reasonOf = (own: Partial<GainModel>, noiseDb: number) =>
      lawFound(model(own), compressed(-30, 4), noiseDb, noiseDb).lawWithheld;
    expect(reasonOf({ errors, fittedDb: 0.01 }, 0.3)).toBe("noise");
    expect(reasonOf({ errors, fittedDb: 0.01 }, 0)).toBe("undetermined");
    expect(reasonOf({ detector: "parallel" }, 0)).toBe("parallel");
    expect(reasonOf({ heldOutDb: 2 }, 0)).toBe("noModel");
  });
});
