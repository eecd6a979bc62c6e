import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { soundOf } from "../../audio/sound";
import { noise } from "../../stimuli/signals";
import { recording } from "../../testing/recordings";
import { findMarkers } from "./find-markers";
import { chirp, chirpSeconds, codeOf, type MarkerCode, MOST_CODE, markerFrames, writeMarker } from "./marker";

const codes = fc.tuple(fc.integer({ min: 0, max: MOST_CODE - 1 }), fc.integer({ min: 0, max: 39 }));
const rates = fc.constantFrom(8000, 11_025, 44_100, 48_000, 96_000);

/** A marker somewhere in a second and a half of silence. */
function marked(rateHz: number, startFrame: number, code: MarkerCode, levelDbfs = -20): Float32Array {
  const channel = new Float32Array(Math.round(1.5 * rateHz));
  writeMarker(channel, startFrame, rateHz, levelDbfs, code);
  return channel;
}

describe("a marker", () => {
  it("fits its slot at every rate, whatever it says", () => {
    fc.assert(
      fc.property(codes, rates, (code, rateHz) => {
        const [, , last] = chirpSeconds(code);
        expect(Math.round(last * rateHz) + chirp(rateHz).length).toBeLessThanOrEqual(markerFrames(rateHz));
      }),
    );
  });

  it("is read where a clock is off by as much as any, and not where it says nothing", () => {
    fc.assert(
      fc.property(codes, fc.integer({ min: -500, max: 500 }), ([code], ppm) => {
        const [first, second] = chirpSeconds([code, 0]);
        expect(codeOf((second - first) * (1 + ppm * 1e-6))).toBe(code);
      }),
    );
    for (const seconds of [0, 0.1, 0.199, 0.201, 0.5]) expect(codeOf(seconds)).toBeNull();
  });

  it("is found with its code and place, flipped, quiet, in noise or bent", () => {
    fc.assert(
      fc.property(
        codes,
        rates,
        fc.integer({ min: 0, max: 5000 }),
        fc.constantFrom(1, -1),
        (code, rateHz, start, sign) => {
          const channel = marked(rateHz, start, code).map((v) => sign * Math.tanh(6 * v));
          const [found] = findMarkers(soundOf({ sampleRateHz: rateHz, channels: [channel] }));
          expect(found?.code).toEqual(code);
          expect(Math.abs(found.atSeconds - start / rateHz)).toBeLessThan(0.001);
        },
      ),
      { numRuns: 25 },
    );
    const hiss = noise(1.5, 0.02, 3, 1).channels[0];
    const noisy = marked(48_000, 4000, [7, 11]).map((v, i) => v + hiss[i]);
    expect(findMarkers(soundOf({ sampleRateHz: 48_000, channels: [noisy] }))[0]?.code).toEqual([7, 11]);
  });

  it("is in neither channel of music, and found in the one that has it", () => {
    for (const name of ["guitar-48000", "drums-88200", "tabla-44100", "bell-96000"] as const)
      expect(findMarkers(soundOf(recording(name)))).toEqual([]);
    const silent = new Float32Array(72_000);
    const right = soundOf({ sampleRateHz: 48_000, channels: [silent, marked(48_000, 900, [3, 5])] });
    expect(findMarkers(right)[0]?.code).toEqual([3, 5]);
    expect(findMarkers(soundOf({ sampleRateHz: 48_000, channels: [silent] }))).toEqual([]);
  });
});
