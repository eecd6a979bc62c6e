import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { readFixture } from "../testing/recordings";
import { digestOf, stampOf } from "./digest";
import { bradleyTerry } from "./favourite";
import { evenOdds, fewestPicks } from "./multinomial";
import { sameDifferentShare } from "./odds";
import { corrected, splitChance } from "./paired";
import { doubledRanks, friedman, signFlipChance } from "./ranks";
import { gradingOf, roundsToSeparate } from "./rating";

// Figures of scipy 1.10.1 and of plain enumeration: fixtures/make_blind.py.
type Fixture = {
  multinomial: { counts: number[]; p: number }[];
  friedman: { rows: number[][]; statistic: number; p: number }[];
  signFlip: { differences: number[]; p: number }[];
  holm: { p: number[]; corrected: number[] }[];
  bradleyTerry: { wins: number[][]; worths: number[] }[];
  interval: { values: number[]; low: number; high: number }[];
  sameDifferent: { d: number; share: number }[];
  sign: { wins: [number, number]; p: number }[];
  stamp: { key: string; text: string; hmac: string };
};
const fixture: Fixture = JSON.parse(readFixture("blind.json"));

describe("favourites", () => {
  it("the exact multinomial test is scipy's law summed over every outcome", () => {
    for (const { counts, p } of fixture.multinomial) {
      expect(evenOdds(counts).p, String(counts)).toBeCloseTo(p, 9);
      expect(evenOdds(counts).error).toBe(0);
    }
  });

  it("all alike is no surprise at all, nothing picked neither, and the order of options does not matter", () => {
    expect(evenOdds([2, 2, 2, 2]).p).toBeCloseTo(1, 9);
    expect(evenOdds([0, 0, 0]).p).toBe(1);
    expect(evenOdds([0, 5, 1]).p).toBeCloseTo(evenOdds([5, 1, 0]).p, 12);
  });

  it("stays a probability over two to twelve options and up to sixty picks, found by shuffles where outcomes are too many", () => {
    fc.assert(
      fc.property(fc.array(fc.nat(5), { minLength: 2, maxLength: 12 }), (counts) => {
        const { p, error } = evenOdds(counts);
        expect(p).toBeGreaterThan(0);
        expect(p).toBeLessThanOrEqual(1);
        expect(error).toBeGreaterThanOrEqual(0);
      }),
      { numRuns: 60 },
    );
    const many = evenOdds([20, 9, 9, 9, 9, 9, 9, 9, 9, 9, 9, 9]);
    expect(many.error).toBeGreaterThan(0);
    expect(many.error).toBeLessThan(0.011);
  });

  it("chi-square would be off by more than 10 % for most tallies of a run, so it is not used", () => {
    // Pearson's statistic for 3, 1, 1, 0 is 3.8: χ²₃ says 0.284 (scipy.stats.chi2.sf), the exact chance is another.
    expect(Math.abs(evenOdds([3, 1, 1, 0]).p - 0.284) / 0.284).toBeGreaterThan(0.1);
  });

  it("the fewest picks are the first whose chance, for any option, is 5 % or less: against a plain count for two options", () => {
    // Two options, ten rounds: 9 or more for either is 2 · 11 / 1024.
    expect(fewestPicks(10, 2, 0.05)).toBe(9);
    expect(fewestPicks(5, 2, 0.05)).toBeNull();
    expect(fewestPicks(1, 12, 0.05)).toBeNull();
    // Eight options, eight rounds, by the binomial tail of one (at least 4): 8 · 0.0112 is over 5 %, five is under.
    expect(fewestPicks(8, 8, 0.05)).toBe(5);
  });

  it("the sign test is scipy's binomtest, both sides; no meeting says nothing", () => {
    for (const { wins, p } of fixture.sign) expect(splitChance(...wins)).toBeCloseTo(p, 10);
    expect(splitChance(0, 0)).toBe(1);
  });

  it("corrections after Holm are those of the rule itself", () => {
    for (const { p, corrected: expected } of fixture.holm) {
      const tests = corrected(p.map((value) => ({ a: 0, b: 1, p: value, leads: "a" as const })));
      for (const [i, { corrected: value, ahead }] of tests.entries()) {
        expect(value).toBeCloseTo(expected[i], 12);
        expect(ahead).toBe(expected[i] <= 0.05 ? "a" : null);
      }
    }
    expect(corrected([])).toEqual([]);
  });

  it("Bradley and Terry's worths are those of greatest likelihood by scipy's optimiser", () => {
    for (const { wins, worths } of fixture.bradleyTerry) {
      for (const [i, worth] of bradleyTerry(wins).entries()) expect(worth).toBeCloseTo(worths[i], 5);
    }
    expect(
      bradleyTerry([
        [0, 0],
        [0, 0],
      ]),
    ).toEqual([0.5, 0.5]);
  });
});

describe("grades", () => {
  it("ranks share the mean where values are equal", () => {
    expect(doubledRanks([3, 1, 2])).toEqual([6, 2, 4]);
    expect(doubledRanks([1, 5, 5])).toEqual([2, 5, 5]);
    expect(doubledRanks([4, 4, 4])).toEqual([4, 4, 4]);
  });

  it("Friedman's statistic is scipy's, its chance that of every order gone through", () => {
    for (const { rows, statistic, p } of fixture.friedman) {
      const test = friedman(rows);
      expect(test.statistic).toBeCloseTo(statistic, 8);
      expect(test.p, JSON.stringify(rows)).toBeCloseTo(p, 9);
      expect(test.agreement).toBeCloseTo(statistic / (rows.length * (rows[0].length - 1)), 8);
    }
  });

  it("full agreement of three rounds on four is W = 1 and one order in 24²; the χ² it is often put to says 0.029", () => {
    const test = friedman([1, 2, 3].map(() => [10, 20, 30, 40]));
    expect(test.agreement).toBeCloseTo(1, 12);
    expect(test.p).toBeCloseTo(1 / 24 ** 2, 12);
  });

  it("nothing told apart is no agreement and no surprise", () => {
    expect(
      friedman([
        [50, 50, 50],
        [50, 50, 50],
      ]),
    ).toMatchObject({ statistic: 0, agreement: 0, p: 1 });
  });

  it("where orders are too many to go through, shuffles agree with the exact chance within the error told", () => {
    const rows = [
      [10, 30, 20, 50, 40, 60, 70],
      [20, 10, 30, 40, 60, 50, 70],
      [10, 20, 50, 30, 40, 70, 60],
    ];
    const test = friedman(rows);
    expect(test.error).toBeGreaterThan(0);
    expect(test.p).toBeLessThan(0.01);
  });

  it("the sign-flip test is scipy's exact permutation test of pairs", () => {
    for (const { differences, p } of fixture.signFlip) expect(signFlipChance(differences)).toBeCloseTo(p, 9);
    expect(signFlipChance([])).toBe(1);
    // More than twelve are counted by their sums: twenty alike, one the other way, is 42 signs of 2²⁰ with what is rarer.
    expect(signFlipChance([-1, ...Array.from({ length: 19 }, () => 1)])).toBeCloseTo(42 / 2 ** 20, 12);
    expect(signFlipChance([0, 0, 0])).toBe(1);
  });

  it("says beforehand how many rounds are needed: 2^(1 − n) times the pairs has to be 5 % or less", () => {
    expect(roundsToSeparate(2, 0.05)).toBe(6);
    expect(roundsToSeparate(4, 0.05)).toBe(8);
    const seven = Array.from({ length: 7 }, () => ({ listener: "", grades: [10, 20, 30, 100] }));
    expect(gradingOf(seven, 4)?.pairs.every((p) => p.ahead === null)).toBe(true);
    expect(gradingOf([...seven, seven[0]], 4)?.pairs.every((p) => p.ahead === "b")).toBe(true);
  });

  it("intervals are Student's, as scipy has them, and two equal grades are not told as certain", () => {
    for (const { values, low, high } of fixture.interval) {
      const figures = gradingOf(
        values.map((v) => ({ listener: "", grades: [v] })),
        1,
      )?.figures[0];
      expect(figures?.low).toBeCloseTo(low, 6);
      expect(figures?.high).toBeCloseTo(high, 6);
    }
    const twice = gradingOf(
      [
        { listener: "", grades: [80, 20] },
        { listener: "", grades: [80, 50] },
      ],
      2,
    );
    expect(twice?.figures[0].low).toBeLessThan(60);
  });
});

describe("detection", () => {
  it("same or different: shares right for d′ by scipy's normal law", () => {
    for (const { d, share } of fixture.sameDifferent) expect(sameDifferentShare(d)).toBeCloseTo(share, 10);
  });
});

describe("digests", () => {
  it("SHA-256 of FIPS 180-4's example, HMAC as Python's", async () => {
    expect(await digestOf("abc")).toBe("ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    expect(await stampOf(fixture.stamp.text, fixture.stamp.key)).toBe(fixture.stamp.hmac);
  });
});
