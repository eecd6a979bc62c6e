import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { heldBoostDb, type MonitorSettings, monitorGains } from "./monitor-gains";

const settings = { matched: true, hereGainDb: 0, yonderGainDb: -6, nullGainDb: -5.5, boostDb: 20 };

const level: MonitorSettings = {
  heard: "difference",
  matched: true,
  hereGainDb: 0,
  yonderGainDb: 0,
  nullGainDb: 0,
  boostDb: 24,
};

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
    // Yonder is Here and something that has nothing to do with it, `down` dB lower.
    const held = (down: number, change: Partial<MonitorSettings> = {}) => {
      const energies = { here: 1, yonder: 1 + 10 ** (-down / 10), product: 1 };
      return heldBoostDb({ ...level, ...change }, energies);
    };
    expect(held(14.5)).toBeCloseTo(14.5, 9);
    expect(held(40)).toBe(24);
    expect(held(-3)).toBe(0);
    expect(heldBoostDb({ ...level }, null)).toBe(0);
    expect(heldBoostDb({ ...level }, { here: 1, yonder: 1, product: 1 })).toBe(24);
  });

  it("is never louder than Here, whatever the gains, the signals and the polarity", () => {
    const number = fc.double({ min: 0.001, max: 1, noNaN: true });
    fc.assert(
      fc.property(
        fc.array(fc.tuple(number, number, fc.boolean()), { minLength: 2, maxLength: 20 }),
        fc.double({ min: -24, max: 24, noNaN: true }),
        fc.double({ min: -24, max: 24, noNaN: true }),
        fc.option(fc.double({ min: -24, max: 24, noNaN: true })),
        fc.boolean(),
        (samples, hereGainDb, yonderGainDb, nullGainDb, matched) => {
          const here = samples.map(([a]) => a);
          const yonder = samples.map(([, b, flipped]) => (flipped ? -b : b));
          const dot = (a: number[], b: number[]) => a.reduce((sum, v, i) => sum + v * b[i], 0);
          const energies = { here: dot(here, here), yonder: dot(yonder, yonder), product: dot(here, yonder) };
          const asked: MonitorSettings = {
            heard: "difference",
            matched,
            hereGainDb,
            yonderGainDb,
            nullGainDb,
            boostDb: 48,
          };
          const boostDb = heldBoostDb(asked, energies);
          const [minus, plus] = monitorGains({ ...asked, boostDb });
          const [own] = monitorGains({ ...asked, heard: "here" });
          const difference = here.map((a, i) => minus * a + plus * yonder[i]);
          if (boostDb > 0)
            expect(dot(difference, difference)).toBeLessThanOrEqual(own * own * energies.here * (1 + 1e-6));
        },
      ),
    );
  });

  it("a flip set by hand keeps the boost shut: the sum of two like renders is louder than either", () => {
    const flipped = { here: 1, yonder: 1, product: -1 };
    expect(heldBoostDb({ ...level, nullGainDb: null, boostDb: 48 }, flipped)).toBe(0);
  });
});
