import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Clip } from "../audio/clip";
import { soundOf } from "../audio/sound";
import { noise, silence } from "../stimuli/signals";
import { BELL_AND_SHELF, music, throughProcessors } from "../testing/chains";
import { apartDb, excitationOf } from "./excitation";
import { mapOf } from "./map";

const excited = (clip: Clip, gain = 1) =>
  excitationOf(soundOf(clip), { startFrame: 0, endFrame: clip.channels[0].length }, gain);

describe("how far two sounds lie apart to an ear", () => {
  const passage = music(4);
  const own = excited(passage);

  it("is nothing for the same, and the gain for a gain", () => {
    expect(apartDb(own, excited(passage))).toBe(0);
    // Upper slopes of masking move a little with level.
    expect(apartDb(own, excited(passage, 10 ** (-3 / 20)))).toBeCloseTo(3, 0);
    // Gains that undo each other change nothing.
    const softer: Clip = { ...passage, channels: passage.channels.map((c) => c.map((v) => v / 2)) };
    expect(apartDb(own, excited(softer, 2))).toBeLessThan(0.01);
  });

  it("grows with what is done, is the same both ways, and far for other music", () => {
    const eq = excited(throughProcessors(passage, ["bilinear-equalizer", BELL_AND_SHELF]));
    const less = excited(
      throughProcessors(passage, [
        "bilinear-equalizer",
        { bands: BELL_AND_SHELF.bands.map((b) => ({ ...b, gainDb: b.gainDb / 4 })) },
      ]),
    );
    const other = excited(music(4, 2, 8));
    const [near, far, apart] = [apartDb(own, less), apartDb(own, eq), apartDb(own, other)].map((v) => v ?? 0);
    expect(near).toBeGreaterThan(0.1);
    expect(far).toBeGreaterThan(2 * near);
    expect(apart).toBeGreaterThan(far);
    expect(apartDb(eq, own)).toBeCloseTo(far, 9);
  });

  it("is no figure for silence and for what is too short, at any rate", () => {
    fc.assert(
      fc.property(fc.constantFrom(8000, 44_100, 384_000), fc.constantFrom(0.01, 0.3), (rate, seconds) => {
        const silent = excited(silence(seconds, rate));
        expect(apartDb(silent, silent)).toBeNull();
        const hiss = excited(noise(seconds, 0.1, 4, 1, rate));
        if (seconds < 0.04) expect(apartDb(hiss, hiss)).toBeNull();
        else expect(apartDb(hiss, silent)).toBeGreaterThan(3);
      }),
      { numRuns: 6 },
    );
  });
});

describe("a map of what is alike", () => {
  const distances = (places: readonly [number, number][]) =>
    places.map((p) => places.map((q) => Math.hypot(p[0] - q[0], p[1] - q[1])));

  it("shows distances of a plane as they are: a triangle of 3, 4 and 5", () => {
    const { places, stress } = mapOf([
      [0, 3, 4],
      [3, 0, 5],
      [4, 5, 0],
    ]);
    expect(stress).toBeLessThan(1e-6);
    const found = distances(places);
    expect(found[0][1]).toBeCloseTo(3, 4);
    expect(found[0][2]).toBeCloseTo(4, 4);
    expect(found[1][2]).toBeCloseTo(5, 4);
    // About their middle.
    for (const axis of [0, 1]) expect(places.reduce((sum, p) => sum + p[axis], 0)).toBeCloseTo(0, 6);
  });

  it("lays what lies in a row across, and says what a plane cannot show", () => {
    const row = mapOf([0, 1, 3, 7].map((x) => [0, 1, 3, 7].map((y) => Math.abs(x - y))));
    expect(row.stress).toBeLessThan(0.01);
    for (const [, y] of row.places) expect(Math.abs(y)).toBeLessThan(0.1);
    // Four things as far from each other as each: a tetrahedron, which no plane holds.
    const solid = mapOf([0, 1, 2, 3].map((i) => [0, 1, 2, 3].map((j) => (i === j ? 0 : 1))));
    expect(solid.stress).toBeGreaterThan(0.1);
    expect(solid.stress).toBeLessThan(0.3);
  });

  it("keeps near together what is alike, whatever there is, and comes out the same", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.double({ min: -5, max: 5, noNaN: true }), fc.double({ min: -5, max: 5, noNaN: true })), {
          minLength: 0,
          maxLength: 9,
        }),
        (places) => {
          const wanted = distances(places);
          const map = mapOf(wanted);
          expect(map.places.length).toBe(places.length);
          expect(map.places.flat().every(Number.isFinite)).toBe(true);
          expect(map.stress).toBeLessThan(0.5);
          expect(mapOf(wanted)).toEqual(map);
        },
      ),
      { numRuns: 30 },
    );
    expect(mapOf([[0]]).places).toEqual([[0, 0]]);
    expect(mapOf([]).places).toEqual([]);
  });
});
