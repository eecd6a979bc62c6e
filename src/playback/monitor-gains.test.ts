import { describe, expect, it } from "vitest";
import { heldBoostDb, monitorGains } from "./monitor-gains";

const settings = { matched: true, hereGainDb: 0, yonderGainDb: -6, nullGainDb: -5.5, boostDb: 20 };

describe("what the monitor plays", () => {
  it("plays one side at its match gain, or as it came", () => {
    expect(monitorGains({ ...settings, heard: "here" })).toEqual([1, 0]);
    expect(monitorGains({ ...settings, heard: "yonder" })[1]).toBeCloseTo(0.501, 3);
    expect(monitorGains({ ...settings, heard: "yonder", matched: false })).toEqual([0, 1]);
  });

  it("plays Yonder minus Here, boosted, at the gain that nulls deepest", () => {
    const [here, yonder] = monitorGains({ ...settings, heard: "difference" });
    expect(here).toBeCloseTo(-10, 9);
    expect(20 * Math.log10(yonder / -here)).toBeCloseTo(-5.5, 9);
    expect(monitorGains({ ...settings, heard: "difference", matched: false, boostDb: 0 })).toEqual([-1, 1]);
  });

  it("holds the boost so that the difference is never louder than Here", () => {
    expect(heldBoostDb(24, -14.5, false)).toBe(14.5);
    expect(heldBoostDb(12, -40, false)).toBe(12);
    expect(heldBoostDb(24, 3, false)).toBe(0);
    expect(heldBoostDb(24, null, false)).toBe(0);
    expect(heldBoostDb(24, null, true)).toBe(24);
  });
});
