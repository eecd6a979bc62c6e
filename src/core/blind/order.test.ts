import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { abxPlan, bytesFrom, favouritePlan, pairsPlan, ratingPlan } from "../testing/runs";
import { answerFits } from "./answer";
import { drawOrder, orderFits, shuffled } from "./order";
import { type Plan, planRightOrWrong, planSchema, trialCount } from "./plan";

const plans: Plan[] = [
  abxPlan(16),
  planRightOrWrong({ kind: "same-different", trials: 12 }),
  favouritePlan(7),
  pairsPlan(3),
  ratingPlan(4),
];

describe("a hidden order", () => {
  it("has the trials and seats of its plan, whatever is drawn", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 1e9 }),
        fc.integer({ min: 2, max: 12 }),
        fc.nat(4),
        (seed, stimuli, which) => {
          const plan = plans[which];
          const count = which < 2 ? 2 : stimuli;
          const order = drawOrder(plan, count, bytesFrom(seededRandom(seed)));
          expect(order).toHaveLength(trialCount(plan, count));
          expect(orderFits(plan, count, order)).toBe(true);
        },
      ),
    );
  });

  it("is refused with a trial less, a stranger on a seat, or one stimulus on two seats", () => {
    for (const [which, plan] of plans.entries()) {
      const count = which < 2 ? 2 : 4;
      const order = drawOrder(plan, count, bytesFrom(seededRandom(5)));
      expect(orderFits(plan, count, order.slice(1))).toBe(false);
      expect(orderFits(plan, count, [order[0].map(() => 9), ...order.slice(1)])).toBe(false);
      if (which >= 2) expect(orderFits(plan, count, [order[0].map(() => 0), ...order.slice(1)])).toBe(false);
    }
  });

  it("puts each stimulus on each seat as often: 24 orders of four within four standard errors", () => {
    const bytes = bytesFrom(seededRandom(20261126));
    const draws = 24_000;
    const counts = new Map<string, number>();
    for (let i = 0; i < draws; i++) {
      const key = shuffled([0, 1, 2, 3], bytes).join("");
      counts.set(key, (counts.get(key) ?? 0) + 1);
    }
    expect(counts.size).toBe(24);
    for (const n of counts.values()) expect(Math.abs(n - draws / 24)).toBeLessThan(4 * Math.sqrt(draws / 24));
  });

  it("draws again where a byte would favour some: 255 decides nothing among three, and something among two", () => {
    const drawn = [255, 255, 2, 255];
    const bytes = () => Uint8Array.from([drawn.shift() ?? 0]);
    shuffled(["a", "b", "c"], bytes);
    expect(drawn).toHaveLength(0);
  });

  it("takes X from either side, same and different as often", () => {
    const bytes = bytesFrom(seededRandom(3));
    const xs = drawOrder(abxPlan(200), 2, bytes).map((seats) => seats[1]);
    expect(xs.filter((x) => x === 0).length).toBeGreaterThan(70);
    const same = drawOrder(planRightOrWrong({ kind: "same-different", trials: 200 }), 2, bytes);
    expect(new Set(same.map((s) => s.join("")))).toEqual(new Set(["00", "01", "10", "11"]));
  });
});

describe("a plan", () => {
  it("fixes trials, the score that is needed, and the chance to catch who was worth catching", () => {
    expect(planRightOrWrong({ kind: "abx", trials: 18, effect: 0.8 })).toMatchObject({ rightNeeded: 13, effect: 0.8 });
    expect(planRightOrWrong({ kind: "abx", trials: 18, effect: 0.8 }).power).toBeGreaterThan(0.8);
    expect(() => abxPlan(4)).toThrow(RangeError);
    expect(() => abxPlan(1000)).toThrow();
  });

  it.each([
    ["a side in ABX", abxPlan(8), 3, { side: "A" }, true],
    ["a word in ABX", abxPlan(8), 3, { said: "same" }, false],
    ["nothing in time without a limit", abxPlan(8), 3, { missed: true }, false],
    [
      "nothing in time under a limit",
      planRightOrWrong({ kind: "abx", trials: 8, secondsPerTrial: 20 }),
      3,
      { missed: true },
      true,
    ],
    ["two picks where ties were not planned", favouritePlan(3), 4, { picked: [0, 1] }, false],
    ["two picks where they were", favouritePlan(3, true), 4, { picked: [0, 1] }, true],
    ["one seat picked twice", favouritePlan(3, true), 4, { picked: [1, 1] }, false],
    ["a seat that is not there", favouritePlan(3), 4, { picked: [4] }, false],
    ["a grade for each seat", ratingPlan(1), 2, { grades: [0, 100], words: [[], ["woolly"]] }, true],
    ["a grade off the scale", ratingPlan(1), 2, { grades: [0, 101], words: [[], []] }, false],
    ["a grade too few", ratingPlan(1), 2, { grades: [50], words: [[]] }, false],
  ] as const)("%s", (_, plan, seats, answer, fits) => {
    expect(answerFits(planSchema.parse(plan), seats, answer as Parameters<typeof answerFits>[2])).toBe(fits);
  });
});
