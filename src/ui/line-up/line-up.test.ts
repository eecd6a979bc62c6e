import { scaleLinear } from "d3-scale";
import { describe, expect, it } from "vitest";
import { DEFAULT_MATCH, type PassageMatch } from "@/core/matching/match-passage";
import { matchWords } from "@/core/words/level";
import type { Passage } from "@/store/records";
import { heightInSight, traceDots, tracePath } from "@/ui/charts/trace-path";

describe("a trace", () => {
  const samples = Float32Array.from([0, 0.5, -1, 0.25, 0]);
  const trace = (view: [number, number], width: number) => ({
    samples,
    first: -2,
    x: scaleLinear(view, [0, width]),
    middle: 20,
    half: 10,
    full: 1,
  });

  it("goes through every sample where there are few, and marks them where they are far apart", () => {
    expect(tracePath(trace([-2, 2], 40))).toBe("M0,20L10,15L20,30L30,17.5L40,20");
    expect(traceDots(trace([-2, 2], 40))).toEqual([
      [0, 20],
      [10, 15],
      [20, 30],
      [30, 17.5],
      [40, 20],
    ]);
    expect(traceDots(trace([-2, 2], 8))).toEqual([]);
  });

  it("keeps the extremes of each pixel where there are many", () => {
    const long = Float32Array.from({ length: 1000 }, (_, i) => (i === 503 ? 1 : i === 507 ? -1 : 0));
    const path = tracePath({ ...trace([0, 1000], 100), samples: long, first: 0 });
    expect(path).toContain("50,10L50,30");
    expect(path.split("L")).toHaveLength(200);
  });

  it("is as high as what is in sight", () => {
    expect(heightInSight(samples, -2, [-2, 2])).toBe(1);
    expect(heightInSight(samples, -2, [1, 2])).toBe(0.25);
    expect(heightInSight(new Float32Array(5), -2, [-2, 2])).toBe(1);
  });
});

describe("the match in words", () => {
  const passage = { match: DEFAULT_MATCH, loop: null } as Passage;
  const match = (change: Partial<PassageMatch>): PassageMatch => ({
    method: "integrated",
    targetLevel: -18,
    trimDb: 0,
    renders: new Map(),
    ...change,
  });

  it("says by what, over what, to what", () => {
    expect(matchWords(match({}), passage)).toBe(
      "Matched to the dry render by integrated loudness over the whole passage.",
    );
    const loop = { startFrame: 0, endFrame: 10 };
    const set: Passage = {
      ...passage,
      loop,
      match: { ...DEFAULT_MATCH, over: "loop", method: "rms", target: { to: "figure", level: -18 } },
    };
    expect(matchWords(match({ method: "rms" }), set)).toBe("Matched to −18.0\u2009dBFS by RMS over the loop.");
  });

  it("says when another method had to do, and when all came down", () => {
    const words = matchWords(match({ method: "rms", trimDb: -2.34 }), passage);
    expect(words).toContain("by RMS over the whole passage, because a render has no integrated loudness there.");
    expect(words).toContain("All lowered by 2.3\u2009dB, so that no true peak exceeds −1.0\u2009dBTP.");
  });
});
