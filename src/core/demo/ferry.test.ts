import { describe, expect, it } from "vitest";
import { align } from "../alignment/align";
import { type Clip, frameCount } from "../audio/clip";
import { clipOf } from "../audio/sound";
import { measureLevels } from "../loudness/measure";
import { chainSchema } from "../processors/chain";
import { FERRY_CANDIDATES, FERRY_PASSAGES, renderFerry, synthesiseFerry } from "./ferry";
import { handDrums } from "./passages";

const loudness = (clip: Clip) => measureLevels(clip).integratedLufs ?? Number.NaN;

describe("the ferry", () => {
  it("is the same every time", () => {
    expect(handDrums().channels[0]).toEqual(handDrums().channels[0]);
  });

  it("has chains that parse", () => {
    for (const { chain } of FERRY_CANDIDATES) expect(chainSchema.safeParse(chain).success).toBe(true);
  });

  it.each(["hand-drums", "deck-announcement"])("%s: candidates apart by several dB and found in time again", (key) => {
    const dry = synthesiseFerry(key);
    expect(frameCount(dry) / dry.sampleRateHz).toBeGreaterThan(8);
    const dryLufs = loudness(dry);
    expect(dryLufs).toBeLessThan(-12);
    const edges = new Map<string, number>();
    for (const { key: candidateKey, lateSamples } of FERRY_CANDIDATES) {
      const clip = clipOf(renderFerry(dry, candidateKey));
      const outboard = candidateKey === "outboard-loop";
      const alignment = align(dry, clip);
      const sign = outboard ? -1 : 1;
      expect(alignment, candidateKey).toMatchObject({
        found: true,
        polarity: { left: sign, right: sign },
        // The loop's own filters hold the sound back by a few hundredths more than its latency.
        delaySamples: outboard ? expect.closeTo(211.4, 1) : lateSamples,
        driftPpm: outboard ? expect.closeTo(3, 1) : 0,
        doubts: [],
      });
      expect(measureLevels(clip).samplePeakDbfs).toBeLessThan(3);
      edges.set(candidateKey, loudness(clip) - dryLufs);
    }
    expect(Math.max(...edges.values()) - Math.min(...edges.values())).toBeGreaterThan(4);
    expect((edges.get("leveller-2") ?? 0) - (edges.get("leveller-1") ?? 0)).toBeGreaterThan(2.5);
  });

  it.each(FERRY_PASSAGES.map((p) => p.key))("%s is a passage with head room for the processors", (key) => {
    const levels = measureLevels(synthesiseFerry(key));
    expect(levels.truePeakDbtp).toBeGreaterThan(-6);
    // Between the samples the announcement reaches 3 dB over them.
    expect(levels.truePeakDbtp).toBeLessThan(-1);
  });

  it("knows only its own passages and candidates", () => {
    expect(() => synthesiseFerry("nowhere")).toThrow(RangeError);
    expect(() => renderFerry(handDrums(), "nothing")).toThrow(RangeError);
  });
});
