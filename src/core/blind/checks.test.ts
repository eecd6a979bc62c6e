import { describe, expect, it } from "vitest";
import { CHECK_WORDS } from "../words/blind-checks";
import { type Checked, checksOf, mayBegin } from "./checks";
import { levelsIn } from "./levels";
import { runMatchOf } from "./run-match";

const render = (title: string, change: Partial<Checked> = {}): Checked => ({
  title,
  level: { value: -20, unit: "LU" },
  peakDbfs: -3,
  found: true,
  doubts: [],
  lackedFrames: 0,
  ...change,
});
const rate = 48_000;
const stateOf = (name: string, ...renders: Checked[]) =>
  checksOf(renders, 2 * rate, rate).find((c) => c.name === name)?.state;

describe("the checks before a run", () => {
  it("all pass for renders that are in step, at one level, whole and under the ceiling", () => {
    const checks = checksOf([render("Dry"), render("Bus")], 2 * rate, rate);
    expect(checks.map((c) => c.state)).toEqual(["fine", "fine", "fine", "fine", "fine"]);
    expect(mayBegin(checks, false)).toBe(true);
  });

  it("over 0.1 dB between the loudest and the quietest holds the run up unless it is overruled", () => {
    const at = (value: number) => render("Bus", { level: { value, unit: "LU" } });
    expect(stateOf("level", render("Dry"), at(-19.91))).toBe("fine");
    expect(stateOf("level", render("Dry"), at(-19.89))).toBe("warn");
    const checks = checksOf([render("Dry"), at(-19), render("Clip")], rate, rate);
    expect(checks[0].said).toContain("Bus is 1.00\u2009LU louder here than");
    expect(mayBegin(checks, false)).toBe(false);
    expect(mayBegin(checks, true)).toBe(true);
  });

  it("what is not in step, or lacks a part, stops it whoever wants it", () => {
    for (const bad of [render("Bus", { found: false }), render("Bus", { lackedFrames: 300 })]) {
      const checks = checksOf([render("Dry"), bad], rate, rate);
      expect(checks.some((c) => c.state === "stop")).toBe(true);
      expect(mayBegin(checks, true)).toBe(false);
    }
    expect(stateOf("coverage", render("Dry"), render("Bus", { lackedFrames: 200 }))).toBe("fine");
  });

  it("where one lacks a part its level is not waited for: there may be nothing to measure", () => {
    const missing = { lackedFrames: rate, level: undefined, peakDbfs: undefined };
    const checks = checksOf([render("Dry"), render("Bus", missing)], rate, rate);
    expect(checks.map((c) => c.state)).toEqual(["stop", "fine", "stop", "fine", "stop"]);
    expect(checks[0].said).toContain(CHECK_WORDS.notChecked);
  });

  it("a doubt, a silence and a peak over the ceiling are told, and can be overruled", () => {
    expect(
      stateOf("alignment", render("Dry"), render("Bus", { doubts: [{ kind: "steady tone", everyMs: 2.27 }] })),
    ).toBe("warn");
    expect(stateOf("level", render("Dry"), render("Bus", { level: null }))).toBe("warn");
    expect(stateOf("clipping", render("Dry"), render("Bus", { peakDbfs: 0.3 }))).toBe("warn");
    expect(stateOf("clipping", render("Dry"), render("Bus", { peakDbfs: null }))).toBe("fine");
  });

  it("nothing begins while something is being measured, nor over a stretch too short to hear", () => {
    const waiting = checksOf(
      [
        render("Dry"),
        render("Bus", { level: undefined, found: undefined, peakDbfs: undefined, lackedFrames: undefined }),
      ],
      rate,
      rate,
    );
    expect(waiting.filter((c) => c.state === "wait").map((c) => c.name)).toEqual([
      "level",
      "alignment",
      "coverage",
      "clipping",
    ]);
    expect(mayBegin(waiting, true)).toBe(false);
    expect(checksOf([render("Dry"), render("Bus")], 0.2 * rate, rate).find((c) => c.name === "length")?.state).toBe(
      "stop",
    );
  });
});

describe("levels in a run", () => {
  const level = (integratedLufs: number | null, rmsDbfs: number | null) => ({ integratedLufs, rmsDbfs });

  it("go by loudness where all have one, by RMS where one has none, and know silence and what is not measured yet", () => {
    expect(levelsIn([level(-20, -19), level(-21, -18)])).toEqual([
      { value: -20, unit: "LU" },
      { value: -21, unit: "LU" },
    ]);
    expect(levelsIn([level(null, -19), level(-21, -18)]).map((l) => l?.value)).toEqual([-19, -18]);
    expect(levelsIn([level(null, null), level(-21, -18), undefined])).toEqual([
      null,
      { value: -21, unit: "LU" },
      undefined,
    ]);
  });
});

describe("how a run's stimuli were brought to one level", () => {
  const lufs = (value: number) => ({ value, unit: "LU" as const });
  const how = { over: "passage", method: "integrated" } as const;

  it("in pairs is what Yonder had over Here, before and after; among more the whole spread", () => {
    // Yonder came 3 dB louder: it was brought down by as much.
    expect(runMatchOf(how, [0, -3], [lufs(-20), lufs(-19.98)])).toMatchObject({ edgeLu: 3 });
    expect(runMatchOf(how, [0, -3], [lufs(-20), lufs(-19.98)]).remainingLu).toBeCloseTo(0.02, 9);
    expect(runMatchOf(how, [1, -3, 2], [lufs(-20), lufs(-20.3), lufs(-19.9)]).edgeLu).toBe(5);
    expect(runMatchOf(how, [1, -3, 2], [lufs(-20), lufs(-20.3), lufs(-19.9)]).remainingLu).toBeCloseTo(0.4, 9);
  });

  it("is not told where one of them is silent or not measured", () => {
    expect(runMatchOf(how, [0, 0], [lufs(-20), null]).remainingLu).toBeNull();
    expect(runMatchOf(how, [0, 0, 0], [lufs(-20), lufs(-20), undefined]).remainingLu).toBeNull();
  });
});
