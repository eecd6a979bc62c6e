import { describe, expect, it } from "vitest";
import { align } from "../alignment/align";
import { frameCount } from "../audio/clip";
import { measureLevels } from "../loudness/measure";
import { FERRY_CANDIDATES, FERRY_PASSAGES, renderFerryPassage } from "./ferry";
import { handDrums } from "./passages";

describe("the ferry", () => {
  it("is the same every time", () => {
    expect(handDrums().channels[0]).toEqual(handDrums().channels[0]);
  });

  it.each(FERRY_PASSAGES.map((p) => p.key))("%s: three candidates, apart by several dB and a few samples", (key) => {
    const [dry, ...others] = renderFerryPassage(key);
    expect(dry.candidateKey).toBeNull();
    expect(others.map((o) => o.candidateKey)).toEqual(FERRY_CANDIDATES.map((c) => c.key));
    const dryLufs = measureLevels(dry.clip).integratedLufs ?? 0;
    const edges = others.map(({ clip }, i) => {
      const alignment = align(dry.clip, clip);
      expect(alignment).toMatchObject({ found: true, delaySamples: FERRY_CANDIDATES[i].lateSamples, polarity: 1 });
      const levels = measureLevels(clip);
      expect(levels.samplePeakDbfs).toBeLessThan(0);
      return (levels.integratedLufs ?? 0) - dryLufs;
    });
    expect(Math.max(...edges) - Math.min(...edges)).toBeGreaterThan(3);
    expect(Math.min(...edges)).toBeGreaterThan(1);
    expect(frameCount(dry.clip) / dry.clip.sampleRateHz).toBeGreaterThan(8);
  });

  it("knows only its own passages", () => {
    expect(() => [...renderFerryPassage("nowhere")]).toThrow(RangeError);
  });
});
