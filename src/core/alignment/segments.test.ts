import { describe, expect, it } from "vitest";
import { type Clip, frameCount, sliceClip } from "../audio/clip";
import { joined, noise, silence } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { groupsOf, segmentFrames } from "./segments";
import { viewsOf } from "./view";

const guitar = recording("guitar-48000");
const FRAMES = segmentFrames(48_000);
const groups = (dry: Clip, render: Clip, delay: number) => groupsOf(viewsOf(dry), viewsOf(render), delay);

describe("the segments that are looked at", () => {
  it.each([
    [8000, 1024],
    [44_100, 8192],
    [48_000, 8192],
    [96_000, 16_384],
    [384_000, 65_536],
  ])("at %i Hz last %i frames: the same time at every rate", (rate, frames) => {
    expect(segmentFrames(rate)).toBe(frames);
  });

  it("lie in sixteen parts, in order, inside what both cover", () => {
    for (const delay of [0, 5000, -5000]) {
      const found = groups(guitar, guitar, delay);
      expect(found).toHaveLength(16);
      const starts = found.flatMap((g) => g.starts);
      expect(starts).toEqual(starts.toSorted((a, b) => a - b));
      const [from, to] = [Math.max(0, -delay), Math.min(frameCount(guitar), frameCount(guitar) - delay)];
      expect(starts[0]).toBeGreaterThanOrEqual(from);
      expect((starts.at(-1) ?? 0) + FRAMES).toBeLessThanOrEqual(to);
      for (const { starts: own, loudestStart } of found) expect(own).toContain(loudestStart);
    }
  });

  it("are taken where there is sound, and nowhere in silence", () => {
    const late = joined(silence(4), noise(2, 0.3, 4));
    for (const { loudestStart } of groups(late, late, 0)) expect(loudestStart + FRAMES).toBeGreaterThan(4 * 48_000);
    expect(groups(silence(3), silence(3), 0)).toEqual([]);
  });

  it("hang over the ends of a sound shorter than one of them", () => {
    const short = sliceClip(guitar, 48_000, 48_000 + FRAMES / 4);
    const [first] = groups(short, short, 0);
    expect(first.starts[0]).toBeLessThan(0);
  });
});
