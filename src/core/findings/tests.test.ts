import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import { SIGNIFICANCE_LEVEL } from "../blind/plan";
import { abxBetween, bookOf, favouriteAmong, NAMES } from "../testing/book";
import { abxListener, abxPlan, favouritePlan, finishedRun, ratingPlan, stimulus } from "../testing/runs";
import { claimsSummary, discriminationScore, likingScore } from "../words/findings-scores";
import { claimsOf, combinedChance } from "./tests";

const by = ({ title }: { title: string }) => title;

const discriminationsIn: (...given: Parameters<typeof claimsOf>) => ReturnType<typeof claimsOf>["discriminations"] = (
  ...given
) => claimsOf(...given).discriminations;

describe("the chance of several tests together", () => {
  it("is that of Fisher's method (scipy 1.10, stats.combine_pvalues)", () => {
    expect(combinedChance([0.038406, 0.59819, 0.772751])).toBeCloseTo(0.23356918601460758, 12);
    expect(combinedChance([0.038406, 0.010635, 0.772751])).toBeCloseTo(0.01311447602512704, 12);
    expect(combinedChance([0.5, 0.1])).toBeCloseTo(0.1997866136776996, 12);
    expect(combinedChance([1, 1, 0.001])).toBeCloseTo(0.03176629677613493, 12);
    expect(combinedChance([0.02])).toBeCloseTo(0.02, 15);
    expect(combinedChance([])).toBe(1);
    expect(combinedChance([1e-200, 1e-200])).toBe(0);
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
    // 12 of 16 by guessing in 3.8 of 100 cases; with 8 and 7 of 16 together in 23 of 100.
    [
      "one passed of three",
      [
        [16, 12],
        [16, 8],
        [16, 7],
      ],
      "in doubt",
    ],
    // Together in 1.3 of 100.
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
    expect(discriminationScore(await outcomes([16, 13]))).toBe("13 of 16 correct, 1 in 94 by guessing");
    const two = await outcomes([16, 13, "L1"], [16, 9, "L2"]);
    expect(two.listeners).toBe(2);
    expect(discriminationScore(two)).toBe("13 of 16 and 9 of 16 correct, 2 listeners, 1 in 36 by guessing");
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

describe("runs that decide nothing beside fair ones", () => {
  const change = {
    match: { over: "passage", method: "integrated", edgeLu: 3, remainingLu: -1.4 } as const,
    overruled: [{ name: "level" as const, said: "louder" }],
  };
  const dryDifference = "not counted: 8 of 8 at unequal level (1.40\u2009LU remaining)";

  it("are told apart from the score and the listeners of a difference", async () => {
    const flawed = await abxBetween(["Dry", "Bus"], 8, 8, { id: "flawed", code: "L2", change });
    for (const [right, outcome, score] of [
      [14, "told", "14 of 16 correct, 1 in 480 by guessing"],
      [9, "flawed", ""],
    ] as const) {
      const fair = await abxBetween(["Dry", "Bus"], 16, right, { id: "fair", code: "L1" });
      const [claim] = discriminationsIn([flawed, fair], by);
      expect(claim).toMatchObject({ outcome, listeners: outcome === "flawed" ? 2 : 1 });
      if (score) expect(discriminationScore(claim)).toBe(`${score}; ${dryDifference}`);
      else
        expect(discriminationScore(claim)).toMatch(
          /^(9 of 16 and 8 of 8|8 of 8 and 9 of 16) correct, 2 listeners, 1 in \d+ by guessing, at unequal level \(1\.40\sLU remaining\)$/,
        );
    }
    const lost = await abxBetween(["Dry", "Bus"], 16, 8, { id: "lost", change });
    expect(discriminationScore(discriminationsIn([lost], by)[0])).toBe(
      "8 of 16 correct, at unequal level (1.40\u2009LU remaining)",
    );
  });

  it("are told apart from the score of who is liked", async () => {
    const fair = await favouriteAmong(NAMES, 12, "Limit", 11, { id: "fair", code: "L1" });
    const flawed = await favouriteAmong(NAMES, 8, "Limit", 8, { id: "flawed", code: "L2", change });
    const [liking] = bookOf({ runs: [fair, flawed] }).likings;
    expect(liking).toMatchObject({ winnerId: "Limit", listeners: 1 });
    expect(likingScore(liking, "Limit")).toBe(
      "11 of 12 rounds, p < 0.0001; not counted: 8 of 8 rounds at unequal level (1.40\u2009LU remaining)",
    );
    expect(likingScore(bookOf({ runs: [flawed] }).likings[0], "Limit")).toBe(
      "8 of 8 rounds at unequal level (1.40\u2009LU remaining)",
    );
  });
});

describe("which is liked", () => {
  it("is shown by rounds that one wins, and not by rounds that are split", async () => {
    const clear = await favouriteAmong(NAMES, 12, "Limit", 11, { id: "clear" });
    const [liking] = bookOf({ runs: [clear] }).likings;
    expect(liking).toMatchObject({ winnerId: "Limit", listeners: 1 });
    expect(likingScore(liking, "Limit")).toBe("11 of 12 rounds, p < 0.0001");
    const split = await favouriteAmong(NAMES, 8, "Limit", 4, { id: "split" });
    expect(bookOf({ runs: [split] }).likings[0]).toMatchObject({ winnerId: null });
  });

  it("is shown by all runs together, by no one where they disagree, and never by one that was left", async () => {
    const one = await favouriteAmong(NAMES, 12, "Limit", 11, { id: "one" });
    const weak = await favouriteAmong(NAMES, 8, "Limit", 3, { id: "weak" });
    // One clear run and one that shows nothing are still clear together.
    expect(bookOf({ runs: [one, weak] }).likings[0]).toMatchObject({ winnerId: "Limit" });
    const other = await favouriteAmong(NAMES, 12, "Bus", 11, { id: "other" });
    expect(bookOf({ runs: [one, other] }).likings[0].winnerId).toBeNull();
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
    expect(likingScore(liking, "Bus")).toMatch(/^mean grade 81\.0 in 12 rounds, p = 0\.\d+$/);
  });
});

describe("all questions of a comparison together", () => {
  const pairsOf = (count: number) => Array.from({ length: count }, (_, i): [string, string] => [`${i}`, `other ${i}`]);

  it("are corrected after Holm, the uncorrected figure beside it", async () => {
    const runs = await Promise.all(
      pairsOf(12).map((names, i) => abxBetween(names, 16, i === 0 ? 13 : 8, { id: `${i}` })),
    );
    const [first, second] = claimsOf(runs, by).discriminations;
    // 13 of 16: 697/65536; times 12.
    expect(first).toMatchObject({ outcome: "in doubt", questions: 12 });
    expect(first.p).toBeCloseTo(697 / 65_536, 12);
    expect(first.corrected).toBeCloseTo((12 * 697) / 65_536, 12);
    expect(discriminationScore(first)).toBe(
      "13 of 16 correct, 1 in 94 by guessing, p = 0.1276 Holm-corrected for 12 questions",
    );
    expect(second.outcome).toBe("not told");
    expect(claimsSummary({ runs, ...claimsOf(runs, by) })).toBe("12 runs on 12 questions; none shown, Holm-corrected.");
    expect(claimsSummary({ runs: [], ...claimsOf([], by) })).toBe("Nothing has been decided blind so far.");
    expect(claimsSummary({ runs: runs.slice(0, 1), ...claimsOf(runs.slice(0, 1), by) })).toBe(
      "1 run on 1 question; 1 shown.",
    );
    const sure = await abxBetween(["0", "other 0"], 16, 16, { id: "sure" });
    expect(claimsOf([sure, ...runs.slice(1)], by).discriminations.find((d) => d.runs[0].id === "sure")?.outcome).toBe(
      "told",
    );
  });

  it("that were begun and left are among what was asked", async () => {
    const left = await abxBetween(["A", "B"], 16, 8, { id: "left", taken: 8 });
    const passed = await abxBetween(["Dry", "Bus"], 16, 13, { id: "passed" });
    expect(claimsOf([left, passed], by).discriminations.find((d) => d.tests.length > 0)?.questions).toBe(2);
  });

  it("answered by coin, twelve of them, make a claim in no more than 5 % of comparisons", async () => {
    const random = seededRandom(20_261_201);
    const cases = 300;
    let claimed = 0;
    for (let i = 0; i < cases; i++) {
      const runs = await Promise.all([
        ...pairsOf(9).map((names) =>
          finishedRun(
            abxPlan(16),
            names.map((name) => stimulus(name)),
            abxListener(0.5, random),
            { random },
          ),
        ),
        ...["x", "y", "z"].map((set) =>
          finishedRun(
            favouritePlan(10),
            [1, 2, 3].map((n) => stimulus(`${set}${n}`)),
            (seats) => ({ picked: [Math.floor(random() * seats.length)] }),
            { random },
          ),
        ),
      ]);
      const { discriminations, likings } = claimsOf(runs, by);
      if (discriminations.some((d) => d.outcome === "told") || likings.some((l) => l.winnerId ?? l.mostId)) claimed++;
    }
    const bound = SIGNIFICANCE_LEVEL + 3.09 * Math.sqrt((SIGNIFICANCE_LEVEL * (1 - SIGNIFICANCE_LEVEL)) / cases);
    expect(claimed / cases).toBeLessThan(bound);
  });
});
