import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { abxListener, bytesFrom } from "../testing/runs";
import { tallyVerdict } from "../words/blind";
import type { Trial } from "./answer";
import { tallyFavourites, tallyPairs } from "./favourite";
import { chanceOfAtLeast, dPrime, sameDifferentShare } from "./odds";
import { drawOrder, type Order } from "./order";
import { planRightOrWrong, planSchema, SIGNIFICANCE_LEVEL } from "./plan";
import { gradingOf, pairTests } from "./rating";
import { isRight } from "./result";

const RUNS = 10_000;
/** One-sided upper bound at 99.9 % on a share seen in so many runs, were the true one 5 %: 5 % and 3.09 standard errors. */
const BOUND = SIGNIFICANCE_LEVEL + 3.09 * Math.sqrt((SIGNIFICANCE_LEVEL * (1 - SIGNIFICANCE_LEVEL)) / RUNS);

/** An index, each as likely as its share of liking. */
function drawnBy(liking: readonly number[], at: number): number {
  const total = liking.reduce((sum, l) => sum + l, 0);
  let below = 0;
  return liking.findIndex((l) => {
    below += l / total;
    return at < below;
  });
}

const trial = (answer: Trial["answer"]): Trial => ({ answer, answeredAt: "", listeningSeconds: 0, loop: null });

/** The share of runs that `passes`. */
function shareOf(passes: (random: () => number) => boolean, runs = RUNS, seed = 20261126): number {
  const random = seededRandom(seed);
  let passed = 0;
  for (let run = 0; run < runs; run++) if (passes(random)) passed++;
  return passed / runs;
}

describe("guessers, ten thousand runs of each form", () => {
  it.each(["abx", "same-different"] as const)("%s: pass no more often than the plan says", (kind) => {
    const plan = planRightOrWrong({ kind, trials: 16 });
    const share = shareOf((random) => {
      const order = drawOrder(plan, 2, bytesFrom(random));
      // Given to saying "different" and to B, as people are: it must not help.
      const right = order.filter((seats) =>
        isRight(
          plan,
          seats,
          trial(
            kind === "abx" ? { side: random() < 0.3 ? "A" : "B" } : { said: random() < 0.8 ? "different" : "same" },
          ),
        ),
      ).length;
      return right >= plan.rightNeeded;
    });
    expect(share).toBeLessThan(BOUND);
    expect(share).toBeCloseTo(chanceOfAtLeast(plan.rightNeeded, 16, 0.5), 2);
  });

  it.each([0.6, 0.7, 0.8, 0.9])(
    "abx: a listener right in %d of trials passes as often as the plan promised",
    (ability) => {
      const plan = planRightOrWrong({ kind: "abx", trials: 37, effect: ability });
      const share = shareOf((random) => {
        const listen = abxListener(ability, random);
        return (
          drawOrder(plan, 2, bytesFrom(random)).filter((seats) => isRight(plan, seats, trial(listen(seats, 0))))
            .length >= plan.rightNeeded
        );
      }, 4000);
      expect(Math.abs(share - (plan.power ?? 0))).toBeLessThan(0.03);
    },
  );

  it("same or different: d′ is won back from a listener who compares two noisy hearings by their likelihood", () => {
    const random = seededRandom(3);
    const gaussian = () => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    for (const d of [1, 2]) {
      let right = 0;
      const trials = 40_000;
      for (let t = 0; t < trials; t++) {
        const [a, b] = [random() < 0.5, random() < 0.5];
        const [x, y] = [gaussian() + (a ? d : 0), gaussian() + (b ? d : 0)];
        // Independent observations: each is put to one source or the other, and the two are held against each other.
        if ((x > d / 2 === y > d / 2) === (a === b)) right++;
      }
      expect(dPrime(right / trials, sameDifferentShare) ?? 99).toBeCloseTo(d, 1);
    }
  });

  const claims = new Map<string, boolean>();
  const remembered = new Map<string, number>();
  const chanceOf = (picks: readonly number[], chance: () => number): number => {
    const key = [...picks].sort((a, b) => b - a).join();
    const known = remembered.get(key) ?? chance();
    remembered.set(key, known);
    return known;
  };

  it.each([
    [4, 5],
    [3, 8],
    [2, 10],
  ])("favourites of %i over %i rounds: a favourite is found in no more than 5 %%", (stimuli, rounds) => {
    const plan = planSchema.parse({ kind: "favourite", rounds, ties: false });
    const share = shareOf((random) => {
      const order: Order = drawOrder(plan, stimuli, bytesFrom(random));
      // Always the first seat: who does not listen may be as set as that.
      const choices = order.map((seats) => ({ offered: seats, picked: [seats[0]] }));
      const picks = Array.from({ length: stimuli }, (_, s) => choices.filter((c) => c.picked[0] === s).length);
      return chanceOf(picks, () => tallyFavourites(choices, stimuli).chance.p) <= SIGNIFICANCE_LEVEL;
    });
    expect(share).toBeLessThan(BOUND);
  });

  it("favourites: no pair is separated in more than 5 % of runs, whatever the number of pairs", () => {
    const share = shareOf((random) => {
      const choices = Array.from({ length: 20 }, () => ({ offered: [0, 1, 2, 3], picked: [Math.floor(4 * random())] }));
      return tallyFavourites(choices, 4).pairs.some((p) => p.ahead);
    });
    expect(share).toBeLessThan(BOUND);
  });

  it.each([
    ["two liked alike", [1, 1]],
    ["two liked alike, two not at all", [1, 1, 0, 0]],
    ["four liked alike", [1, 1, 1, 1]],
    ["three liked alike among six", [2, 2, 2, 1, 1, 0]],
  ])("favourites, %s: none is called the favourite in more than 5 %% of runs", (_, liking) => {
    const stimuli = liking.map((_l, i) => i);
    const names = stimuli.map(String);
    for (const rounds of [6, 12]) {
      const share = shareOf((random) => {
        const choices = Array.from({ length: rounds }, () => {
          return { offered: stimuli, picked: [drawnBy(liking, random())] };
        });
        const picks = stimuli.map((s) => choices.filter((c) => c.picked[0] === s).length);
        // The claim hangs on the counts alone, whichever is which.
        const key = `${rounds}: ${[...picks].sort().join()}`;
        const known =
          claims.get(key) ??
          tallyVerdict({ kind: "favourite" }, tallyFavourites(choices, stimuli.length), names).headline.endsWith(
            "is the favourite.",
          );
        claims.set(key, known);
        return known;
      });
      expect(share).toBeLessThan(BOUND);
    }
  });

  it("favourites: who prefers one in three of four rounds is found in most runs of ten", () => {
    const share = shareOf((random) => {
      const choices = Array.from({ length: 10 }, () => ({
        offered: [0, 1, 2, 3],
        picked: [random() < 0.75 ? 2 : Math.floor(4 * random())],
      }));
      const { chance, picks } = tallyFavourites(choices, 4);
      return chance.p <= SIGNIFICANCE_LEVEL && picks[2] === Math.max(...picks);
    }, 1000);
    expect(share).toBeGreaterThan(0.9);
  });

  it("two at a time: coins separate no pair in more than 5 % of runs", () => {
    const pairs = [
      [0, 1],
      [0, 2],
      [1, 2],
    ];
    const share = shareOf((random) => {
      const choices = Array.from({ length: 10 }, () => pairs)
        .flat()
        .map((offered) => ({ offered, picked: [offered[random() < 0.5 ? 0 : 1]] }));
      // The whole tally shuffles thousands of times; its pairs are what is looked at here.
      return tallyFavourites(choices, 3).pairs.some((p) => p.ahead);
    });
    expect(share).toBeLessThan(BOUND);
    const few = shareOf((random) => {
      const choices = Array.from({ length: 6 }, () => pairs)
        .flat()
        .map((offered) => ({ offered, picked: [offered[random() < 0.5 ? 0 : 1]] }));
      return tallyPairs(choices, 3).chance.p <= SIGNIFICANCE_LEVEL;
    }, 150);
    // Four standard errors of 5 % over 150 runs.
    expect(few).toBeLessThan(0.05 + 4 * Math.sqrt(0.0475 / 150));
  });

  const scatters: [string, (random: () => number) => number][] = [
    ["even over the scale", (random) => Math.round(100 * random())],
    ["at one end or the other", (random) => (random() < 0.5 ? 0 : 100)],
    ["on five steps", (random) => 1 + Math.floor(5 * random())],
  ];
  it.each(scatters)("ratings %s: neither Friedman nor any pair finds more than 5 %%", (_, grade) => {
    const apart = shareOf((random) => {
      // A reference that is always found does not make the others look apart.
      const rounds = Array.from({ length: 8 }, () => ({ grades: [100, grade(random), grade(random)] }));
      return pairTests(rounds, 3).some((p) => p.ahead && p.a > 0);
    });
    expect(apart).toBeLessThan(BOUND);
    const alike = shareOf((random) => {
      const all = Array.from({ length: 5 }, () => ({
        listener: "",
        grades: [grade(random), grade(random), grade(random)],
      }));
      return (gradingOf(all, 3)?.friedman?.p ?? 1) <= SIGNIFICANCE_LEVEL;
    }, 1000);
    expect(alike).toBeLessThan(SIGNIFICANCE_LEVEL + 3.09 * Math.sqrt(0.0475 / 1000));
  });
});
