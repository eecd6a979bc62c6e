import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { readFixture } from "../testing/recordings";
import { oddsInWords, repetitionSentence } from "../words/blind";
import {
  abilityInterval,
  chanceOfAny,
  chanceOfAtLeast,
  dPrime,
  fewestRight,
  guessingProbability,
  trialsNeeded,
} from "./odds";
import { planRightOrWrong, testsOf } from "./plan";

type Row = { trials: number; right: number; guessing: number; low: number; high: number };

describe("odds of an ABX run", () => {
  it("agrees with scipy's binomtest on a grid of scores (fixtures/make_odds.py)", () => {
    const rows: Row[] = JSON.parse(readFixture("odds.json"));
    expect(rows.length).toBeGreaterThan(80);
    for (const { trials, right, guessing, low, high } of rows) {
      expect(Math.abs(guessingProbability(right, trials) - guessing)).toBeLessThan(1e-12);
      const interval = abilityInterval(right, trials, 0.95);
      expect(interval.low).toBeCloseTo(low, 8);
      expect(interval.high).toBeCloseTo(high, 8);
    }
  });

  it.each([
    [10, 9],
    [12, 10],
    [15, 12],
    [16, 12],
    [20, 15],
    [25, 18],
    [30, 20],
  ])("of %i trials, %i must be right at 5 %% (duo-trio tables of ISO 10399, values from memory)", (trials, right) => {
    expect(fewestRight(trials, 0.05)).toBe(right);
  });

  it("knows what is no proof: 7 of 10 is 0.17, 10 of 10 is 0.001, 15 of 15 is 0.00003", () => {
    expect(guessingProbability(7, 10)).toBeCloseTo(0.171875, 10);
    expect(guessingProbability(10, 10)).toBeCloseTo(0.000977, 6);
    expect(guessingProbability(15, 15)).toBeCloseTo(0.0000305, 7);
  });

  it.each([
    [0.6, 158, 90],
    [0.7, 37, 24],
    [0.8, 18, 13],
    [0.9, 8, 7],
  ])("a listener of ability %d is caught with 80 %% power by %i trials, %i right", (ability, trials, right) => {
    expect(trialsNeeded(ability, 0.8, 0.05)).toEqual({ trials, right });
  });

  it("four trials can prove nothing at 5 %: even all right happens to one guesser in sixteen", () => {
    expect(fewestRight(4, 0.05)).toBeNull();
    expect(guessingProbability(0, 4)).toBe(1);
  });

  it("guessers pass a plan no more often than 5 %", () => {
    const random = seededRandom(20261123);
    for (const trials of [5, 10, 16, 25]) {
      const needed = fewestRight(trials, 0.05) ?? Number.POSITIVE_INFINITY;
      const runs = 20_000;
      let passed = 0;
      for (let run = 0; run < runs; run++) {
        let right = 0;
        for (let t = 0; t < trials; t++) if (random() < 0.5) right++;
        if (right >= needed) passed++;
      }
      // Three standard errors of a share of 5 % over 20 000 runs.
      expect(passed / runs).toBeLessThan(0.05 + 0.0046);
      expect(passed / runs).toBeCloseTo(chanceOfAtLeast(needed, trials, 0.5), 2);
    }
  });

  it("d′ agrees with simulated listeners who compare X with A and B on one noisy axis", () => {
    const random = seededRandom(7);
    const gaussian = () => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    for (const d of [0.5, 1, 2]) {
      const trials = 60_000;
      let right = 0;
      for (let t = 0; t < trials; t++) {
        // A is drawn around 0, B around d; the ideal listener decides the pair (A, X, B) by likelihood.
        const xIsB = random() < 0.5;
        const a = gaussian();
        const b = gaussian() + d;
        const swapped = random() < 0.5;
        const x = gaussian() + (xIsB ? d : 0);
        const [first, second] = swapped ? [b, a] : [a, b];
        const saidSwapped = first > second;
        const saidB = x > d / 2;
        const answeredFirst = saidSwapped === saidB;
        const isFirst = swapped === xIsB;
        if (answeredFirst === isFirst) right++;
      }
      expect(dPrime(right / trials) ?? 99).toBeCloseTo(d, 1);
    }
  });

  it("d′ is nothing at chance and not a number to give at all right", () => {
    expect(dPrime(0.5)).toBe(0);
    expect(dPrime(0.3)).toBe(0);
    expect(dPrime(1)).toBeNull();
  });
});

describe("odds at the ends and together", () => {
  it("60 of 60 by guessing is 2⁻⁶⁰, not nought, and any whole run of n is 2⁻ⁿ", () => {
    for (const n of [1, 10, 53, 60, 200]) expect(guessingProbability(n, n) / 2 ** -n).toBeCloseTo(1, 9);
    expect(oddsInWords(guessingProbability(60, 60))).toBe("1 in 1 200 000 000 000 000 000");
  });

  it("the interval told ends above one half when, and only when, the test at 5 % passes", () => {
    for (let trials = 5; trials <= 60; trials++) {
      for (let right = 0; right <= trials; right++) {
        const passes = guessingProbability(right, trials) <= 0.05;
        expect(abilityInterval(right, trials).low > 0.5, `${right} of ${trials}`).toBe(passes);
      }
    }
  });

  it("the third run of a pair at 12 of 16 is passed at least once by 11 of 100 guessers", () => {
    const plan = planRightOrWrong({ kind: "abx", trials: 16 });
    expect(chanceOfAny([0.0384064, 0.0384064, 0.0384064])).toBeCloseTo(1 - (1 - 0.0384064) ** 3, 9);
    expect(repetitionSentence(testsOf([plan, plan, plan]))).toBe(
      "Run 3 of this pair. By guessing, at least one of 3 such runs passes in 11\u2009% of cases.",
    );
    expect(repetitionSentence(testsOf([plan]))).toBeNull();
  });

  it("runs that are judged together are one test, whatever stands before and after them", () => {
    const alone = planRightOrWrong({ kind: "abx", trials: 16 });
    const part = (run: number) => planRightOrWrong({ kind: "abx", trials: 16, series: { id: "s", runs: 3, run } });
    const tests = testsOf([alone, part(1), part(2), part(3), alone]);
    expect(tests).toEqual([
      { trials: 16, rightNeeded: 12 },
      { trials: 48, rightNeeded: fewestRight(48, 0.05) },
      { trials: 16, rightNeeded: 12 },
    ]);
    expect(repetitionSentence(tests)).toContain("Run 3 of this pair");
  });
});
