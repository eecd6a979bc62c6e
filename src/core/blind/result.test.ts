import { describe, expect, it } from "vitest";
import { seededRandom } from "../audio/random";
import {
  abxListener,
  abxPlan,
  favouritePlan,
  finishedRun,
  type Listening,
  pairsPlan,
  ratingPlan,
  stimulus,
} from "../testing/runs";
import {
  aboveHearingSentence,
  oddsInWords,
  probabilityText,
  runVerdict,
  screeningSentence,
  seriesVerdict,
} from "../words/blind";
import { listed } from "../words/units";
import { planRightOrWrong, planSchema } from "./plan";
import { screeningOf } from "./rating";
import type { Role, RunResult } from "./result";
import type { Run } from "./run";

const two = [stimulus("Dry"), stimulus("Bus")];
const four = ["Air", "Bus", "Clip", "Dry"].map((t) => stimulus(t));
const names = four.map((s) => s.title);
const random = () => seededRandom(11);

const verdictOf = (run: Run) =>
  runVerdict(
    run.plan,
    run.result as RunResult,
    run.stimuli.map((s) => s.title),
  );
const noNumbersMissing = (run: Run) => expect(JSON.stringify(run.result)).not.toMatch(/NaN|Infinity/);

describe("right or wrong", () => {
  it("counts the right ones and says heard from the planned score on", async () => {
    const all = await finishedRun(abxPlan(10), two, (seats) => ({ side: seats[1] === 0 ? "A" : "B" }), {
      random: random(),
    });
    expect(all.result).toMatchObject({ right: 10, answered: 10, outcome: "heard" });
    expect(verdictOf(all).headline).toBe("A difference was shown.");
    expect(verdictOf(all).detail).toContain("1 in 1 000");
    expect(verdictOf(all).detail).toContain("p = 0.0010");
    const none = await finishedRun(abxPlan(10), two, (seats) => ({ side: seats[1] === 0 ? "B" : "A" }), {
      random: random(),
    });
    expect(none.result).toMatchObject({ right: 0, outcome: "not shown" });
    expect(verdictOf(none).detail).toContain("does not prove that there is none");
  });

  it("decides nothing when left early, even with all right", async () => {
    const early = await finishedRun(abxPlan(10), two, abxListener(1, random()), { random: random(), taken: 9 });
    expect(early.result).toMatchObject({ answered: 9, right: 9, outcome: "left early" });
    expect(verdictOf(early).headline).toContain("nothing is decided");
    expect(verdictOf(early).detail).not.toContain("p =");
    const none = await finishedRun(abxPlan(10), two, abxListener(1, random()), { random: random(), taken: 0 });
    expect(none.result).toMatchObject({ answered: 0, guessing: 1, abilityLow: 0, abilityHigh: 1 });
  });

  it("same or different: right is right whichever side it was, and a trial whose time was up is not right", async () => {
    const plan = planRightOrWrong({ kind: "same-different", trials: 12, secondsPerTrial: 20 });
    const knows: Listening = (seats, i) =>
      i === 3 ? { missed: true } : { said: seats[0] === seats[1] ? "same" : "different" };
    const run = await finishedRun(plan, two, knows, { random: random() });
    expect(run.result).toMatchObject({ right: 11, answered: 12, missed: 1, outcome: "heard" });
    expect(verdictOf(run).detail).toContain("1 trial timed out");
  });

  it("a series is judged by all its answers, and only by those", async () => {
    const plan = planRightOrWrong({ kind: "abx", trials: 16, series: { id: "s", runs: 2, run: 1 } });
    const scores = [0.72, 0.72].map((ability, i) => abxListener(ability, seededRandom(i + 2)));
    const runs = await Promise.all(scores.map((l, i) => finishedRun(plan, two, l, { random: seededRandom(i + 9) })));
    const results = runs.flatMap((r) => (r.result?.kind === "right or wrong" ? [r.result] : []));
    const right = results.reduce((sum, r) => sum + r.right, 0);
    // By itself a part decides nothing, in the app and in the terminal.
    expect(results.map((r) => r.outcome)).toEqual(["part", "part"]);
    expect(verdictOf(runs[0]).headline).toBe("This run decides nothing by itself.");
    expect(verdictOf(runs[0]).detail).not.toContain("p =");
    const { detail } = seriesVerdict(plan, results);
    expect(detail).toContain(`${right} of 32 correct; pass mark 22`);
    expect(detail).toContain("Series of 2 runs, declared beforehand");
    expect(right).toBeGreaterThanOrEqual(22);
  });
});

describe("favourites", () => {
  const likes =
    (title: string): Listening =>
    (seats) => ({ picked: [seats.findIndex((s) => names[s] === title)] });

  it("finds the one that is picked whatever seat it has, and says whom it beats", async () => {
    const run = await finishedRun(favouritePlan(10), four, likes("Clip"), { random: random() });
    expect(run.result).toMatchObject({ kind: "choices", outcome: "ahead", tally: { picks: [0, 0, 10, 0], ties: 0 } });
    const { headline, detail } = verdictOf(run);
    expect(headline).toBe("A preference for Clip was shown.");
    expect(detail).toContain("Clip is ahead of Air, Bus and Dry");
  });

  it("says that one was picked most, and not that it is the favourite, where the second might be liked as much", async () => {
    // Five for one and three for another: not by chance, but these two are not distinguished.
    const two: Listening = (seats, i) => ({ picked: [seats.indexOf(i % 8 < 5 ? 2 : 1)] });
    const run = await finishedRun(favouritePlan(16), four, two, { random: random() });
    expect(verdictOf(run).headline).toBe("Preferences differ: Clip was picked most often.");
    expect(verdictOf(run).detail).toContain("not significantly ahead");
  });

  it("all alike, one round, ties and an early end are a sentence each, and never no number", async () => {
    const inTurn: Listening = (seats, i) => ({ picked: [seats.indexOf(i % 4)] });
    const alike = await finishedRun(favouritePlan(8), four, inTurn, { random: random() });
    expect(verdictOf(alike).headline).toBe("All were picked equally often: no preference was shown.");
    const once = await finishedRun(favouritePlan(1), four, likes("Bus"), { random: random() });
    expect(verdictOf(once).headline).toBe("No preference was shown.");
    expect(verdictOf(once).detail).toContain("No significant preference between any two");
    const tied = await finishedRun(
      favouritePlan(6, true),
      four,
      (seats) => ({ picked: [seats.indexOf(0), seats.indexOf(1)] }),
      {
        random: random(),
      },
    );
    expect(tied.result).toMatchObject({ tally: { picks: [6, 6, 0, 0], ties: 6 } });
    expect(verdictOf(tied).headline).toBe("Preferences differ: Air and Bus were picked most often.");
    const early = await finishedRun(favouritePlan(8), four, likes("Bus"), { random: random(), taken: 3 });
    expect(verdictOf(early).headline).toContain("nothing is decided");
    const none = await finishedRun(favouritePlan(8), four, likes("Bus"), { random: random(), taken: 0 });
    for (const run of [alike, once, tied, early, none]) noNumbersMissing(run);
  });

  it("two at a time: every two meet once a round, and who always wins leads with all told apart", async () => {
    const plan = pairsPlan(8);
    const better: Listening = (seats) => ({ picked: [seats[0] < seats[1] ? 0 : 1] });
    const run = await finishedRun(plan, four, better, { random: random() });
    expect(run.trials).toHaveLength(48);
    const { headline, detail } = verdictOf(run);
    expect(headline).toBe("A preference for Air was shown.");
    expect(detail).toContain("every pair differs significantly");
    const result = run.result?.kind === "choices" ? run.result : null;
    expect(result?.tally.picks).toEqual([24, 16, 8, 0]);
    const worths = result?.tally.worths ?? [];
    expect(worths.reduce((sum, w) => sum + w, 0)).toBeCloseTo(1, 9);
    expect([...worths].sort((a, b) => b - a)).toEqual(worths);
    const tied = await finishedRun(pairsPlan(2, true), four, () => ({ picked: [0, 1] }), { random: random() });
    expect(verdictOf(tied).headline).toBe("Every pairing was a tie: no preference was shown.");
    noNumbersMissing(tied);
  });
});

describe("ratings", () => {
  const graded =
    (grades: readonly number[], jitter: () => number): Listening =>
    (seats) => ({
      grades: seats.map((s) => Math.max(0, Math.min(100, Math.round(grades[s] + 8 * (jitter() - 0.5))))),
      words: seats.map(() => []),
    });

  it("finds the order, says how far grades repeat, and which cannot be told apart", async () => {
    const run = await finishedRun(ratingPlan(9), four, graded([40, 70, 71, 20], random()), { random: random() });
    const { headline, detail } = verdictOf(run);
    expect(headline).toMatch(/(Bus|Clip) is ahead of Air and Dry/);
    expect(headline).toMatch(/no significant preference between (Bus and Clip|Clip and Bus)/);
    expect(detail).toContain("9 rounds of 1 listener");
    const result = run.result?.kind === "grades" ? run.result : null;
    // The jitter is even over eight grades: its standard deviation is 8 / √12.
    expect(result?.grading?.repeatability).toBeCloseTo(8 / Math.sqrt(12), 0);
    noNumbersMissing(run);
  });

  it("one round, all equal, and no round at all are a sentence each", async () => {
    const once = await finishedRun(ratingPlan(1), four, graded([40, 70, 71, 20], random()), { random: random() });
    expect(verdictOf(once).detail).toContain("1 round cannot separate any pair");
    expect(verdictOf(once).detail).toContain("One round gives no repeatability");
    // One round agrees with itself, which says nothing.
    expect(verdictOf(once).detail).not.toContain("Friedman");
    const equal: Listening = (seats) => ({ grades: seats.map(() => 60), words: seats.map(() => []) });
    const alike = await finishedRun(ratingPlan(4), four, equal, { random: random() });
    expect(verdictOf(alike).headline).toBe("All were graded equally.");
    const none = await finishedRun(ratingPlan(3), four, equal, { random: random(), taken: 0 });
    expect(verdictOf(none).headline).toContain("nothing is decided");
    for (const run of [once, alike, none]) noNumbersMissing(run);
  });

  it("a hidden reference under 90 in more than 15 % of the rounds is told, and counted all the same (BS.1534-3, memory)", () => {
    const rounds = (reference: number[]) => reference.map((g) => ({ listener: "", grades: [50, g, 10] }));
    const of20 = (low: number) => rounds(Array.from({ length: 20 }, (_, i) => (i < low ? 80 : 95)));
    expect(screeningOf(of20(3), "0 to 100", 1, 2).told).toBe(false);
    const four20 = screeningOf(of20(4), "0 to 100", 1, 2);
    expect(four20).toMatchObject({ under: 4, over: 0, told: true });
    expect(screeningSentence(four20, "L2")).toContain(
      "L2 graded the hidden reference below 90 % of the scale in 4 of 20 rounds",
    );
    expect(screeningSentence(screeningOf(of20(0), "0 to 100", 1, 2))).toBeNull();
    expect(screeningOf(rounds([90, 90]), "0 to 100", null, 1).told).toBe(false);
    // Nine tenths of five steps lie between the fourth and the fifth.
    expect(screeningOf([{ listener: "", grades: [4, 1] }], "five steps", 0, null).told).toBe(true);
    expect(screeningOf([{ listener: "", grades: [4.6, 1] }], "impairment", 0, null).told).toBe(false);
  });

  it("the roles of the stimuli say which grades the screening looks at", async () => {
    const roles: Role[] = ["candidate", "reference", "anchor"];
    const stimuli = roles.map((role) => stimulus(role, role));
    const run = await finishedRun(
      planSchema.parse({ kind: "rating", rounds: 4, scale: "0 to 100" }),
      stimuli,
      graded([60, 70, 95], () => 0.5),
      {
        random: random(),
      },
    );
    expect(run.result).toMatchObject({ screening: { under: 4, over: 4, told: true } });
  });
});

describe("words", () => {
  it("odds are rounded to what a person can hold, and carry their error where they have one", () => {
    expect(oddsInWords(0.171875)).toBe("1 in 6");
    expect(oddsInWords(0.6)).toBe("60 in 100");
    expect(oddsInWords(1 / 32768)).toBe("1 in 33 000");
    expect(probabilityText(0.00001)).toBe("p < 0.0001");
    expect(probabilityText(0.0312, 0.0037)).toBe("p = 0.0312 ± 0.0037");
    expect(listed(["A"])).toBe("A");
    expect(listed(["A", "B", "C"])).toBe("A, B and C");
  });

  it("a difference that lies above what the listener hears is told with its share", () => {
    const above = [
      { hertz: 15_000, share: 0.97 },
      { hertz: 14_000, share: 0.99 },
    ];
    const listener = { code: "L1", equipment: "", room: "", highestHz: 14_000, unheardHz: 15_000 };
    expect(aboveHearingSentence(above, listener)).toContain("97\u2009% of the difference lies above 15\u2009kHz");
    expect(aboveHearingSentence(above, { ...listener, unheardHz: null })).toBeNull();
    expect(aboveHearingSentence([{ hertz: 15_000, share: 0.4 }], listener)).toBeNull();
    expect(aboveHearingSentence(null, listener)).toBeNull();
  });
});
