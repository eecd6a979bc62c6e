import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { CEILING_DBTP, commonTrimDb, matchToReference } from "./match";

const at = (integratedLufs: number | null, rmsDbfs: number | null = -20) => ({ integratedLufs, rmsDbfs });

describe("matching to a reference", () => {
  it("gives the gain that brings the render there and the edge it had", () => {
    expect(matchToReference(at(-16.2), at(-13.5))).toMatchObject({ method: "integrated" });
    expect(matchToReference(at(-16.2), at(-13.5))?.gainDb).toBeCloseTo(-2.7, 10);
    expect(matchToReference(at(-16.2), at(-13.5))?.edgeLu).toBeCloseTo(2.7, 10);
  });

  it("falls back to RMS where a loudness is missing, and gives up on silence", () => {
    expect(matchToReference(at(null, -20), at(-13, -14))).toEqual({ method: "rms", gainDb: -6, edgeLu: 6 });
    expect(matchToReference(at(-20), at(null, null))).toBeNull();
  });
});

describe("the ceiling", () => {
  const entries = fc.array(
    fc.record({
      truePeakDbtp: fc.double({ min: -60, max: 6, noNaN: true }),
      gainDb: fc.double({ min: -30, max: 30, noNaN: true }),
    }),
    { minLength: 1, maxLength: 12 },
  );

  it("is never passed by any true peak, and everything comes down by the same", () => {
    fc.assert(
      fc.property(entries, (list) => {
        const trim = commonTrimDb(list);
        expect(trim).toBeLessThanOrEqual(0);
        for (const { truePeakDbtp, gainDb } of list) {
          expect(truePeakDbtp + gainDb + trim).toBeLessThanOrEqual(CEILING_DBTP + 1e-9);
        }
        // No more than is needed: either nothing, or the highest peak sits on the ceiling.
        const highest = Math.max(...list.map((e) => e.truePeakDbtp + e.gainDb + trim));
        if (trim < 0) expect(highest).toBeCloseTo(CEILING_DBTP, 9);
      }),
    );
  });

  it("takes no notice of silence", () => {
    expect(commonTrimDb([{ truePeakDbtp: null, gainDb: 40 }])).toBe(0);
  });
});
