import { describe, expect, it } from "vitest";
import { clipOf, type Sound } from "../audio/sound";
import { residualDb } from "../difference/residual";
import { openRecipe, type Recipe, recipeKey, recipeSchema } from "../recipes/recipe";
import { laddered, music, stepResidualDb, throughProcessors } from "../testing/chains";
import { applied } from "./applied";
import type { AppliedStep, Found } from "./found-chain";
import { ladderOf } from "./ladder-report";

const LOW = 16_000;
const quiet = () => {};

/** What Here with the fit applied up to a step leaves of Yonder, in dB over Yonder. */
function leftWith(here: Sound, yonder: Sound, found: Found, upTo: AppliedStep): number {
  const region = { startFrame: 0, endFrame: here.frames };
  return residualDb(yonder, applied(here, yonder, region, found, upTo), 1) ?? -300;
}

describe("Here with the fit applied", () => {
  it("is a saturator again, and leaves what the ladder says", () => {
    const here = music(3, 2, 1, LOW);
    const yonder = throughProcessors(here, ["drive-stage", { driveDb: 9, oversampling: 1 }]);
    const { aligned } = laddered(here, yonder);
    const { steps, found } = ladderOf(laddered(here, yonder), quiet);
    if (!found) throw new Error("nothing was found");
    expect(
      Math.abs(leftWith(aligned.here, aligned.yonder, found, "level") - stepResidualDb(steps, "level")),
    ).toBeLessThan(1);
    expect(
      Math.abs(leftWith(aligned.here, aligned.yonder, found, "tone") - stepResidualDb(steps, "tone")),
    ).toBeLessThan(2);
    expect(leftWith(aligned.here, aligned.yonder, found, "bend")).toBeLessThan(-50);
  });

  it("is a compressor again over all of a passage, and the same to the bit however it is read", () => {
    const here = music(8.4, 1, 1, LOW);
    const yonder = throughProcessors(here, ["slow-leveller", {}]);
    const { aligned } = laddered(here, yonder);
    const { found } = ladderOf(laddered(here, yonder), quiet);
    if (!found?.stages.some(({ kind }) => kind === "gain")) throw new Error("no gain was found");
    expect(leftWith(aligned.here, aligned.yonder, found, "levelOverTime")).toBeLessThan(-45);
    const region = { startFrame: 0, endFrame: aligned.here.frames };
    const whole = clipOf(applied(aligned.here, aligned.yonder, region, found, "levelOverTime"));
    const part = applied(aligned.here, aligned.yonder, region, found, "levelOverTime").read(31_007, 5003);
    expect(part[0]).toEqual(whole.channels[0].slice(31_007, 36_010));
  });

  it("is a bell that moves again, over all of a passage", () => {
    const here = music(6, 1, 1, LOW);
    const settings = { frequencyHz: 2000, q: 1.5, thresholdDb: -45, ratio: 4, rangeDb: -12, attackMs: 5 };
    const yonder = throughProcessors(here, ["dynamic-equalizer", settings]);
    const { aligned } = laddered(here, yonder);
    const { found } = ladderOf(laddered(here, yonder), quiet);
    const gain = found?.stages.find((s) => s.kind === "gain");
    if (!found || gain?.kind !== "gain" || !gain.bell) throw new Error("no bell that moves was found");
    const standing = leftWith(aligned.here, aligned.yonder, found, "tone");
    expect(leftWith(aligned.here, aligned.yonder, found, "levelOverTime")).toBeLessThan(Math.min(-40, standing - 10));
  });

  it("has crosstalk between channels as it was found", () => {
    const here = music(4, 2, 1, LOW);
    const wide = {
      ...here,
      channels: [here.channels[0].map((v, i) => v - 0.3 * here.channels[1][i]), here.channels[1]],
    };
    const { aligned } = laddered(here, wide);
    const { found } = ladderOf(laddered(here, wide), quiet);
    if (!found) throw new Error("nothing was found");
    expect(found.stages).toHaveLength(1);
    expect(leftWith(aligned.here, aligned.yonder, found, "tone")).toBeLessThan(-60);
  });
});

describe("a recipe of Here with the fit applied", () => {
  const found: Found = {
    domain: "left-right",
    movedSide: { side: "right", samples: 0 },
    stages: [{ kind: "filter", filter: { responses: [[Float64Array.of(0.5, 0.25)]], lead: 0 }, inverse: null }],
    gains: { level: 0.5, tone: 2, levelOverTime: 1 },
  };
  const recipe = (upTo: AppliedStep, more: Partial<Found> = {}): Recipe => ({
    of: "worn",
    here: { of: "file", hash: "a" },
    yonder: { of: "file", hash: "b" },
    startFrame: 0,
    endFrame: 4,
    found: { ...found, ...more },
    upTo,
  });

  it("has a key of all that it hangs on", () => {
    const keys = [
      recipe("tone"),
      recipe("level"),
      recipe("tone", {
        stages: [{ kind: "filter", filter: { responses: [[Float64Array.of(0.5, 0.26)]], lead: 0 }, inverse: null }],
      }),
      recipe("tone", { gains: { level: 0.5, tone: 1, levelOverTime: 1 } }),
    ].map(recipeKey);
    expect(new Set(keys).size).toBe(4);
    expect(recipeSchema.safeParse(recipe("tone")).success).toBe(true);
    expect(recipeSchema.safeParse({ ...recipe("tone"), upTo: "all" }).success).toBe(false);
  });

  it("opens to what it says", () => {
    const impulse = { sampleRateHz: 48_000, channels: [Float32Array.of(1, 0, 0, 0)] };
    const sound = (): Sound => ({
      sampleRateHz: 48_000,
      channelCount: 1,
      frames: 4,
      read: (from, count) => [Float32Array.from({ length: count }, (_, i) => impulse.channels[0][from + i] ?? 0)],
    });
    const heard = (upTo: AppliedStep) => [...openRecipe(recipe(upTo), sound).read(0, 4)[0]];
    expect(heard("level")).toEqual([0.5, 0, 0, 0]);
    // Twice the filter, by transforms.
    for (const [i, v] of [1, 0.5, 0, 0].entries()) expect(heard("tone")[i]).toBeCloseTo(v, 6);
  });
});
