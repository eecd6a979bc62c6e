import { describe, expect, it } from "vitest";
import { energy, frameCount } from "../audio/clip";
import { noise } from "../stimuli/signals";
import { recording } from "../testing/recordings";
import { energyOf, fullerView, stretchOf, viewsOf } from "./view";

const BLOCK_FRAMES = 4096;

const guitar = recording("guitar-48000");
const [left, right] = guitar.channels;

describe("mid and side", () => {
  it("have the energies that mixing them out gives, whole and block by block", () => {
    const { mid, side } = viewsOf(guitar);
    const mixed = { ...guitar, channels: [left.map((v, i) => (v + right[i]) / 2)] };
    const apart = { ...guitar, channels: [left.map((v, i) => (v - right[i]) / 2)] };
    expect(mid.energy / energy(mixed)).toBeCloseTo(1, 6);
    expect((side?.energy ?? 0) / energy(apart)).toBeCloseTo(1, 5);
    expect(mid.blockEnergies).toHaveLength(Math.ceil(frameCount(guitar) / BLOCK_FRAMES));
    const block = mixed.channels[0].subarray(7 * BLOCK_FRAMES, 8 * BLOCK_FRAMES);
    expect(mid.blockEnergies[7] / block.reduce((sum, v) => sum + v * v, 0)).toBeCloseTo(1, 6);
    expect(energyOf(viewsOf(guitar)) / energy(guitar)).toBeCloseTo(1, 6);
  });

  it("are mixed where they are read, silence outside", () => {
    const { mid, side } = viewsOf(guitar);
    const stretch = stretchOf(mid, 1000, 8);
    expect(Array.from(stretch)).toEqual(
      Array.from({ length: 8 }, (_, i) => Math.fround(0.5 * left[1000 + i] + 0.5 * right[1000 + i])),
    );
    const edge = stretchOf(side ?? mid, -3, 6);
    expect(Array.from(edge.subarray(0, 3))).toEqual([0, 0, 0]);
    expect(edge[4]).toBeCloseTo((left[1] - right[1]) / 2, 7);
    expect(stretchOf(mid, frameCount(guitar) + 5, 4)).toEqual(new Float32Array(4));
  });

  it("a mono clip has no side, and its mid is itself", () => {
    const { mid, side } = viewsOf({ ...guitar, channels: [left] });
    expect(side).toBeNull();
    expect(stretchOf(mid, 500, 4)).toEqual(left.slice(500, 504));
  });

  it("the fuller one is the mid, unless that all but cancels", () => {
    expect(fullerView(viewsOf(guitar)).kind).toBe("mid");
    const opposed = { ...guitar, channels: [left, left.map((v) => -v)] };
    expect(fullerView(viewsOf(opposed)).kind).toBe("side");
    expect(fullerView(viewsOf(noise(1, 0.2, 3))).kind).toBe("mid");
  });
});
