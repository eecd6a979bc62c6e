import { describe, expect, it } from "vitest";
import type { PhaseReading } from "@/core/spectrum/phase-kind";
import { phaseSentence } from "@/core/words/explain-views";
import { type AppliedVoice, appliedScene, appliedScenes, residualScene } from "@/ui/shell/applied-voices";

const reading = (more: Partial<PhaseReading>): PhaseReading => ({
  kind: "minimum",
  crossoversHz: [],
  hertz: new Float64Array(0),
  degrees: new Float64Array(0),
  minimumDegrees: new Float64Array(0),
  excessDegrees: new Float64Array(0),
  groupDelayMs: new Float64Array(0),
  delaySamples: 0,
  ...more,
});

describe("the sentence over the phase", () => {
  it("names the kind, and refuses where it cannot be told", () => {
    expect(phaseSentence(reading({}))).toBe("Minimum phase: phase follows from the magnitude.");
    expect(phaseSentence(reading({ kind: "linear" }))).toContain("Linear phase");
    expect(phaseSentence(reading({ kind: "none" }))).toContain("No phase shift");
    expect(phaseSentence(reading({ kind: "unknown" }))).toContain("too little of the range");
    expect(phaseSentence(reading({ kind: "unknown" }), true)).toContain("no processing explains");
  });

  it("says where a crossover turns, and which delay was taken off", () => {
    const words = phaseSentence(reading({ kind: "all-pass", crossoversHz: [198.6, 2513], delaySamples: 64.25 }));
    expect(words).toContain("crossing 180° at 199\u2009Hz, 2.51\u2009kHz");
    expect(words).toContain("Delay of +64.25\u2009smp removed.");
    expect(phaseSentence(reading({ delaySamples: 0.004 }))).not.toContain("Delay");
  });
});

describe("what is worn, as scenes", () => {
  const applied = (step: string, residualDb: number | null): AppliedVoice => ({
    step,
    voice: { key: appliedScene(step), recipe: { of: "file", hash: step }, files: [], channelCount: 2 },
    residualDb,
  });

  it("plays Here wearing it at Yonder's gain, and what it leaves as Yonder less that", () => {
    const scenes = appliedScenes([applied("tone", -60)], "y", 0.5, 20);
    expect([...(scenes.get(appliedScene("tone")) ?? [])]).toEqual([[appliedScene("tone"), 0.5]]);
    const left = scenes.get(residualScene("tone"));
    // 20 dB is ten times.
    expect(left?.get("y")).toBeCloseTo(5, 9);
    expect(left?.get(appliedScene("tone"))).toBeCloseTo(-5, 9);
  });

  it("never plays what is left louder than Yonder, nor softer than it is", () => {
    const gainOf = (residualDb: number | null, boostDb: number) =>
      appliedScenes([applied("bend", residualDb)], "y", 1, boostDb)
        .get(residualScene("bend"))
        ?.get("y") ?? 0;
    // Left at −12 dB, 60 dB of boost would be far over: 12 dB are given.
    expect(20 * Math.log10(gainOf(-12, 60))).toBeCloseTo(12, 9);
    expect(20 * Math.log10(gainOf(-80, 60))).toBeCloseTo(60, 9);
    // More is left than there is of Yonder: played as it is.
    expect(gainOf(3, 24)).toBe(1);
    // Silence may be boosted as one likes.
    expect(20 * Math.log10(gainOf(null, 24))).toBeCloseTo(24, 9);
  });

  it("keeps steps apart", () => {
    const scenes = appliedScenes([applied("tone", -20), applied("bend", -40)], "y", 1, 0);
    expect([...scenes.keys()].toSorted()).toEqual(["left:bend", "left:tone", "worn:bend", "worn:tone"]);
  });
});
