import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { SIGNIFICANCE_LEVEL } from "../blind/plan";
import { abxBetween, bookOf, favouriteAmong, NAMES } from "../testing/book";
import { abxListener, abxPlan, favouritePlan, finishedRun, ratingPlan, stimulus } from "../testing/runs";
import { chanceOfPassing, discriminationScore, discriminationsIn, likingScore } from "./tests";

const by = ({ title }: { title: string }) => title;

describe("the chance of passing some of several tests", () => {
  it("is that of the Poisson binomial distribution: binomial where all are alike", () => {
    // Binomial distribution, n = 4, p = 0.25: P(X ≥ 2) = 67/256.
    expect(chanceOfPassing(2, [0.25, 0.25, 0.25, 0.25])).toBeCloseTo(67 / 256, 12);
    // Unlike ones, counted by hand: 0.5·0.1 + 0.5·0.9 + 0.5·0.1 = 0.55.
    expect(chanceOfPassing(1, [0.5, 0.1])).toBeCloseTo(0.55, 12);
    expect(chanceOfPassing(0, [])).toBe(1);
    expect(chanceOfPassing(1, [])).toBe(0);
  });
});

describe("what runs over one pair come to", () => {
  const outcomes = async (...scores: [trials: number, right: number, code?: string][]) => {
    const runs = await Promise.all(
      scores.map(([trials, right, code], i) => abxBetween(["Dry", "Bus"], trials, right, { id: `run-${i}`, code })),
    );
    const [pair] = discriminationsIn(runs, by);
    return pair;
  };

  it.each<[string, [number, number][], string]>([
    ["one passed", [[16, 13]], "told"],
    ["one not passed", [[16, 9]], "not told"],
    // 12 of 16 is passed by guessers in 3.8 of 100 cases; one of three such in 11 of 100.
    [
      "one passed of three",
      [
        [16, 12],
        [16, 8],
        [16, 7],
      ],
      "in doubt",
    ],
    // Two of three in 0.4 of 100.
    [
      "two passed of three",
      [
        [16, 12],
        [16, 13],
        [16, 7],
      ],
      "told",
    ],
  ])("%s: %s is %s", async (_, scores, outcome) => {
    expect((await outcomes(...scores)).outcome).toBe(outcome);
  });

  it("is told with its odds, and with how many listened", async () => {
    expect(discriminationScore(await outcomes([16, 13]))).toBe("13 of 16 right, which guessers reach 1 in 94 times");
    const two = await outcomes([16, 13, "L1"], [16, 9, "L2"]);
    expect(two.listeners).toBe(2);
    expect(discriminationScore(two)).toMatch(/^1 of 2 tests passed, 2 listeners, which guessers do 1 in 13 times/);
  });

  it("counts nothing that was left early, nor half a series", async () => {
    const left = await abxBetween(["Dry", "Bus"], 16, 10, { id: "left", taken: 10 });
    expect(discriminationsIn([left], by)[0]).toMatchObject({ outcome: "open", tests: [] });
    const part = await abxBetween(["Dry", "Bus"], 8, 8, { id: "part" });
    const series = { ...part, plan: { ...part.plan, series: { id: "s", runs: 2, run: 1 } } } as typeof part;
    expect(discriminationsIn([series], by)[0].outcome).toBe("open");
    const whole = {
      ...series,
      id: "other",
      plan: { ...series.plan, series: { id: "s", runs: 2, run: 2 } },
    } as typeof part;
    const [pair] = discriminationsIn([series, whole], by);
    expect(pair).toMatchObject({ outcome: "told", tests: [{ result: { right: 16, answered: 16 } }] });
  });

  it("does not name a pair whose render nobody knows any more", async () => {
    const run = await abxBetween(["Dry", "Bus"], 16, 13, { id: "run" });
    expect(discriminationsIn([run], ({ title }) => (title === "Bus" ? null : title))).toEqual([]);
  });

  it("is claimed of guessers in no more than 5 % of cases, however many runs they take", async () => {
    const random = seededRandom(20_261_127);
    const cases = 400;
    for (const count of [1, 2, 3, 5]) {
      let told = 0;
      for (let i = 0; i < cases; i++) {
        const runs = await Promise.all(
          Array.from({ length: count }, (_, r) =>
            finishedRun(abxPlan(8), [stimulus("Dry"), stimulus("Bus")], abxListener(0.5, random), {
              random,
              id: `${r}`,
            }),
          ),
        );
        if (discriminationsIn(runs, by)[0].outcome === "told") told++;
      }
      // 3.09 standard errors over 5 %.
      const bound = SIGNIFICANCE_LEVEL + 3.09 * Math.sqrt((SIGNIFICANCE_LEVEL * (1 - SIGNIFICANCE_LEVEL)) / cases);
      expect(told / cases).toBeLessThan(bound);
    }
  });
});

describe("which is liked", () => {
  it("is shown by rounds that one wins, and not by rounds that are split", async () => {
    const clear = await favouriteAmong(NAMES, 12, "Limit", 11, { id: "clear" });
    const [liking] = bookOf({ runs: [clear] }).likings;
    expect(liking).toMatchObject({ winnerId: "Limit", listeners: 1 });
    expect(likingScore(liking, "Limit")).toBe("11 of 12 rounds");
    const split = await favouriteAmong(NAMES, 8, "Limit", 4, { id: "split" });
    expect(bookOf({ runs: [split] }).likings[0]).toMatchObject({ winnerId: null });
  });

  it("is shown no longer where it took many runs, and never by one that was left", async () => {
    const runs = await Promise.all([
      favouriteAmong(NAMES, 12, "Limit", 11, { id: "one" }),
      favouriteAmong(NAMES, 8, "Limit", 3, { id: "two" }),
    ]);
    expect(bookOf({ runs }).likings[0].winnerId).toBeNull();
    const left = await favouriteAmong(NAMES, 12, "Limit", 11, { id: "left", taken: 11 });
    const [liking] = bookOf({ runs: [left] }).likings;
    expect(liking.winnerId).toBeNull();
    expect(likingScore(liking, "Limit")).toBe("11 of 11 rounds, left early");
  });

  it("is claimed of who picks blindly in no more than 5 % of cases, however many runs they take", async () => {
    const random = seededRandom(20_261_128);
    const cases = 300;
    const names = ["Dry", "Bus", "Limit"];
    for (const count of [1, 2, 3]) {
      let named = 0;
      for (let i = 0; i < cases; i++) {
        const runs = await Promise.all(
          Array.from({ length: count }, (_, r) =>
            finishedRun(
              favouritePlan(8),
              names.map((name) => stimulus(name)),
              (seats) => ({ picked: [Math.floor(random() * seats.length)] }),
              { random, id: `${r}` },
            ),
          ),
        );
        const { likings } = bookOf({ runs: runs.map((run) => ({ ...run, passageId: "Chime" })) });
        if (likings[0].winnerId !== null || likings[0].mostId !== null) named++;
      }
      const bound = SIGNIFICANCE_LEVEL + 3.09 * Math.sqrt((SIGNIFICANCE_LEVEL * (1 - SIGNIFICANCE_LEVEL)) / cases);
      expect(named / cases, `${count} runs`).toBeLessThan(bound);
    }
  });

  it("of grades counts no reference and no anchor as something to be liked", async () => {
    const stimuli = [stimulus("Bus"), stimulus("Limit"), stimulus("Dry", "reference"), stimulus("Anchor", "anchor")];
    const run = await finishedRun(
      ratingPlan(12),
      stimuli,
      (seats, trial) => ({ grades: seats.map((s) => [80 + (trial % 3), 50 + (trial % 5), 100, 10][s]), words: [] }),
      { random: seededRandom(3) },
    );
    const [liking] = bookOf({ runs: [{ ...run, passageId: "Chime" }] }).likings;
    expect(liking).toMatchObject({ winnerId: "Bus", candidateIds: ["Bus", "Limit"] });
    expect(likingScore(liking, "Bus")).toBe("mean 81.0 of 12 rounds");
  });
});
