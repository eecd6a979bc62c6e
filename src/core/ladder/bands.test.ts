import { describe, expect, it } from "vitest";
import { residualDb } from "../difference/residual";
import { laddered, music, stepOf, stepResidualDb, taken, throughProcessors } from "../testing/chains";
import { applied } from "./applied";

const LOW = 16_000;

describe("the ladder, on a compressor in bands", () => {
  const here = music(5, 1, 1, LOW);
  const yonder = throughProcessors(here, ["multiband-compressor", { lowCrossoverHz: 250, lowThresholdDb: -30 }]);

  it("takes it off at level over time, finds where its bands are split, and applies it to Here", () => {
    const { steps, found } = taken(here, yonder);
    expect(stepResidualDb(steps, "tone")).toBeGreaterThan(-25);
    expect(stepResidualDb(steps, "levelOverTime")).toBeLessThan(-30);
    const { bands, edgesHz } = stepOf(steps, "levelOverTime");
    expect(bands).toBeGreaterThanOrEqual(2);
    // On 5 s at a low rate: within an octave; on 15 s of full mixes at 48 kHz it comes to a tenth.
    expect(Math.abs(Math.log2(edgesHz[0] / 250))).toBeLessThan(1);
    if (!found) throw new Error("nothing was found");
    const { aligned, region } = laddered(here, yonder);
    const left = residualDb(aligned.yonder, applied(aligned.here, aligned.yonder, region, found, "levelOverTime"), 1);
    expect(left ?? 0).toBeLessThan(-28);
  });

  it("does not see bands in what only left and right share, or in another take", () => {
    const other = music(5, 1, 7, LOW);
    const { steps } = taken(here, {
      ...yonder,
      channels: [yonder.channels[0].map((v, n) => 0.3 * v + other.channels[0][n])],
    });
    expect(stepResidualDb(steps, "left")).toBeGreaterThan(-6);
    expect(stepOf(steps, "levelOverTime").bands).toBe(1);
  });
});
