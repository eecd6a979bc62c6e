import { describe, expect, it } from "vitest";
import { flawsOf } from "../blind/flaws";
import { abxBetween, bookOf, favouriteAmong, findingFor, NAMES, renderId, sightedFor } from "../testing/book";
import { flawWords, runVerdict } from "../words/blind";
import { familySentences } from "../words/findings-families";
import { contradictionsAt, contradictionsIn } from "./contradictions";
import { evidenceFor } from "./evidence";
import { roundsNeeded, whatNext } from "./next-runs";

const sentences = (book: ReturnType<typeof bookOf>) =>
  Object.fromEntries(familySentences(book).map((f) => [f.kind, f.says]));
const heard = (passage: string, name: string, matched: boolean, seconds = 10) => ({
  renderId: renderId(passage, name),
  seconds,
  matched,
});

describe("one sentence for each family", () => {
  it("says that nothing was heard, before anything was", () => {
    expect(sentences(bookOf())).toEqual({
      compressor: "No blind run yet.",
      saturator: "No blind run yet.",
    });
  });

  it("names who is ahead with the score, and leaves who is not shown to be anything", async () => {
    const runs = [
      await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes" }),
      await abxBetween(["Bus", "Limit"], 16, 9, { id: "untold", passageId: "Voice" }),
      await abxBetween(["Dry", "Drive"], 16, 13, { id: "told", passageId: "Voice" }),
    ];
    const said = sentences(bookOf({ runs }));
    expect(said.compressor).toBe(
      "Chime: Limit is ahead of Dry, Bus and Drive (11 of 12 rounds, p < 0.0001, p < 0.0001 Holm-corrected for 3 questions). Voice: no difference between the two was shown (9 of 16 correct, 40 in 100 by guessing, p = 0.4018 Holm-corrected for 3 questions).",
    );
    expect(said.saturator).toBe(
      "Chime: Limit, of another family, is ahead of Dry, Bus and Drive. Voice: a difference between Drive and dry was shown (13 of 16 correct, 1 in 94 by guessing, p = 0.0213 Holm-corrected for 3 questions).",
    );
  });

  it("tells what was said with open eyes as that, and only where there is nothing better", async () => {
    const sighted = [sightedFor("Chime", "Bus")];
    expect(sentences(bookOf({ sighted })).compressor).toBe("No blind run yet. Sighted, Bus on Chime was preferred.");
    const runs = [await abxBetween(["Dry", "Bus"], 16, 9, { id: "run" })];
    expect(sentences(bookOf({ sighted, runs })).compressor).toContain("no difference between Bus and dry was shown");
  });

  it("says that not all are liked alike where no more than that is shown", async () => {
    // Six of eight among four: uneven by more than chance, and not ahead of the one that had the other two.
    const runs = [await favouriteAmong(["Limit", "Bus", "Drive", "Dry"], 8, "Limit", 6, { id: "uneven" })];
    const book = bookOf({ runs });
    expect(sentences(book).compressor).toBe(
      "Chime: Limit was picked most often (6 of 8 rounds, p = 0.0272), not significantly ahead of every other.",
    );
    expect(evidenceFor(book, "Chime", "Limit")).toMatchObject([
      { state: "not shown", says: expect.stringContaining("picked most often, not significantly ahead of") },
    ]);
    expect(evidenceFor(book, "Chime", "Bus")[0].says).toBe("Limit picked most often, not significantly ahead");
    expect(whatNext(book, { effect: 0.8, power: 0.8 }).runs[0].question).toContain("not significantly ahead of");
  });

  it("never says told, or ahead, of runs that were left, or of a lucky one among many", async () => {
    const runs = [
      await favouriteAmong(NAMES, 12, "Limit", 11, { id: "left", taken: 10 }),
      ...(await Promise.all([12, 8, 7].map((right, i) => abxBetween(["Dry", "Bus"], 16, right, { id: `${i}` })))),
    ];
    const said = Object.values(sentences(bookOf({ runs }))).join(" ");
    expect(said).not.toMatch(/is ahead|difference between [^;.]+ was shown, /);
    expect(said).toContain("no difference between Bus and dry was shown (12 of 16, 8 of 16 and 7 of 16 correct");
  });
});

describe("evidence for a candidate on a passage", () => {
  it("has every way it is known by, the strongest first, each with its odds and listeners", async () => {
    const runs = [
      await abxBetween(["Dry", "Bus"], 16, 9, { id: "untold", code: "L1" }),
      await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes", code: "L2" }),
    ];
    const book = bookOf({ runs, sighted: [sightedFor("Chime", "Limit", { heard: [heard("Chime", "Bus", true)] })] });
    expect(evidenceFor(book, "Chime", "Bus").map(({ how, says, state }) => [how, says, state])).toEqual([
      ["favourites", "behind Limit", "shown"],
      ["ABX", "no difference from Dry shown", "not shown"],
      ["sighted", "Limit preferred", "said"],
    ]);
    expect(evidenceFor(book, "Chime", "Limit")[0]).toMatchObject({
      says: "ahead of Dry, Bus and Drive",
      score: expect.stringMatching(/^11 of 12 rounds, p < 0.0001, p < 0.0001 Holm-corrected for 2 questions$/),
      runIds: ["likes"],
    });
    expect(evidenceFor(book, "Voice", "Bus")).toEqual([]);
  });
});

describe("what contradicts what", () => {
  const kinds = (book: ReturnType<typeof bookOf>) => contradictionsIn(book).map(({ kind }) => kind);

  it("is nothing where nothing does", async () => {
    const runs = [await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes" })];
    const findings = [findingFor("Chime", "Limit", "first choice")];
    expect(contradictionsIn(bookOf({ runs, findings, sighted: [sightedFor("Chime", "Limit")] }))).toEqual([]);
  });

  it("sighted says one, blind says no difference, or another", async () => {
    const sighted = [sightedFor("Chime", "Bus")];
    const untold = bookOf({ sighted, runs: [await abxBetween(["Dry", "Bus"], 16, 9, { id: "run" })] });
    expect(contradictionsIn(untold)).toMatchObject([
      {
        kind: "sighted against blind",
        passageId: "Chime",
        runIds: ["run"],
        says: expect.stringContaining("Blind, no difference from Dry was shown (9 of 16 correct"),
      },
    ]);
    const other = bookOf({ sighted, runs: [await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes" })] });
    expect(contradictionsIn(other)[0].says).toBe(
      "Sighted, Bus was preferred (70\u2009% sure). Blind, Limit is ahead of it (11 of 12 rounds, p < 0.0001).",
    );
    expect(contradictionsAt(contradictionsIn(other), "Chime", "Limit")).toHaveLength(1);
    expect(contradictionsAt(contradictionsIn(other), "Voice", "Limit")).toEqual([]);
  });

  it("the one preferred was louder as it was heard; not where it was heard matched, nor where all were as loud", () => {
    const cells = bookOf().cells.map((c) =>
      c.candidateId === "Bus" ? { ...c, levelOffset: { value: 2.4, unit: "LU" as const } } : c,
    );
    const of = (matched: boolean) =>
      bookOf({
        cells,
        sighted: [
          sightedFor("Chime", "Bus", { heard: [heard("Chime", "Bus", matched), heard("Chime", "Limit", matched)] }),
        ],
      });
    expect(contradictionsIn(of(false))).toMatchObject([
      {
        kind: "louder before matching",
        says: "Bus was preferred at original level, 1.2\u2009LU louder than the others heard. Hear it matched.",
      },
    ]);
    expect(contradictionsIn(of(true))).toEqual([]);
    // Heard at one level for longer than as it came: not chosen by its level.
    const mostly = [heard("Chime", "Bus", false, 5), heard("Chime", "Bus", true, 9), heard("Chime", "Limit", false)];
    expect(contradictionsIn(bookOf({ cells, sighted: [sightedFor("Chime", "Bus", { heard: mostly })] }))).toEqual([]);
    const alike = bookOf({
      sighted: [sightedFor("Chime", "Bus", { heard: [heard("Chime", "Bus", false), heard("Chime", "Limit", false)] })],
    });
    expect(contradictionsIn(alike)).toEqual([]);
  });

  it("a winner of rounds whose level check was overruled", async () => {
    const change = {
      match: { over: "passage", method: "integrated", edgeLu: 3, remainingLu: 0.8 } as const,
      overruled: [{ name: "level" as const, said: "louder" }],
    };
    const runs = [await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes", change })];
    const book = bookOf({ runs });
    expect(book.likings[0]).toMatchObject({ winnerId: null, flawedWinnerId: "Limit" });
    expect(contradictionsIn(book)).toMatchObject([
      {
        kind: "check overruled",
        says: "Limit was ahead only at unequal level (0.80\u2009LU remaining). Correct that, and test again.",
      },
    ]);
    expect(evidenceFor(book, "Chime", "Limit")[0]).toMatchObject({ state: "open" });
  });

  it.each([
    ["level", { remainingLu: -1.4 }, "at unequal level (1.40\u2009LU remaining)"],
    ["alignment", { remainingLu: 0.02 }, "with alignment in doubt"],
  ] as const)("an ABX that was passed with the check of %s overruled", async (name, match, words) => {
    const change = {
      match: { over: "passage", method: "integrated", edgeLu: 3, ...match } as const,
      overruled: [{ name, said: "the check's own words" }],
    };
    const flawed = await abxBetween(["Dry", "Bus"], 16, 14, { id: "flawed", change });
    const book = bookOf({ runs: [flawed] });
    expect(book.discriminations[0].outcome).toBe("flawed");
    expect(evidenceFor(book, "Chime", "Bus")).toMatchObject([
      { state: "open", says: `difference from Dry shown only ${words}, so nothing is decided` },
    ]);
    expect(sentences(book).compressor).toContain("whether Bus differs from dry is not decided (14 of 16 correct");
    expect(kinds(book)).toEqual(["check overruled"]);
    expect(whatNext(book, { effect: 0.8, power: 0.8 }).runs).toMatchObject([{ form: "abx" }]);
    const { plan, result } = flawed;
    if (!result) throw new Error("no result");
    expect(runVerdict(plan, result, ["Dry", "Bus"], flawsOf(flawed)).headline).toBe(
      `A difference was shown, ${words}.`,
    );
    // A fair run beside it decides; and a flawed one that showed nothing showed nothing.
    const fair = await abxBetween(["Dry", "Bus"], 16, 14, { id: "fair" });
    expect(bookOf({ runs: [flawed, fair] }).discriminations[0].outcome).toBe("told");
    const lost = await abxBetween(["Dry", "Bus"], 16, 8, { id: "lost", change });
    expect(bookOf({ runs: [lost] }).discriminations[0]).toMatchObject({ outcome: "not told", flaws: [] });
  });

  it("level that remained without anyone having been asked counts as much", async () => {
    const change = { match: { over: "passage", method: "rms", edgeLu: null, remainingLu: 0.3 } as const };
    const run = await abxBetween(["Dry", "Bus"], 16, 14, { id: "run", change });
    expect(flawWords(flawsOf(run))).toBe("at unequal level (0.30\u2009dB remaining)");
    expect(bookOf({ runs: [run] }).discriminations[0].outcome).toBe("flawed");
  });

  it("the figures say identical, and it was heard", async () => {
    const runs = await Promise.all(
      ["L1", "L2", "L3"].map((code) => abxBetween(["Bus", "Drive"], 16, 13, { id: code, code })),
    );
    const pairs = [
      { passageId: "Chime", candidateIds: ["Drive", "Bus"] as const, identical: "24-bit" as const, nullDb: -140 },
    ];
    expect(contradictionsIn(bookOf({ runs, pairs }))[0].says).toMatch(
      /^Bus and Drive are identical to 24 bits, yet 3 listeners heard a difference .* Check the run/,
    );
  });

  it("the difference lies above what the listener hears", async () => {
    const listener = { code: "L1", equipment: "", room: "", highestHz: 12_000, unheardHz: 14_000 };
    const change = { listener, above: [{ hertz: 14_000, share: 0.93 }] };
    const deaf = await abxBetween(["Dry", "Bus"], 16, 9, { id: "run", change });
    expect(contradictionsIn(bookOf({ runs: [deaf] }))).toMatchObject([
      { kind: "above hearing", says: expect.stringContaining("93\u2009% of the difference lies above 14\u2009kHz") },
    ]);
    const passed = await abxBetween(["Dry", "Bus"], 16, 13, { id: "run", change });
    expect(contradictionsIn(bookOf({ runs: [passed] }))[0].says).toContain("passed all the same");
  });

  it("the winner on one passage loses on another, and runs name two", async () => {
    const runs = [
      await favouriteAmong(NAMES, 12, "Limit", 11, { id: "chime" }),
      await favouriteAmong(NAMES, 12, "Bus", 11, { id: "voice", passageId: "Voice" }),
    ];
    const told = contradictionsIn(bookOf({ runs }));
    expect(told.map(({ passageId, says }) => [passageId, says])).toEqual([
      [
        "Voice",
        "Limit is ahead on Chime (11 of 12 rounds, p < 0.0001, p < 0.0001 Holm-corrected for 2 questions), but behind Bus here (11 of 12 rounds, p < 0.0001, p < 0.0001 Holm-corrected for 2 questions).",
      ],
      [
        "Chime",
        "Bus is ahead on Voice (11 of 12 rounds, p < 0.0001, p < 0.0001 Holm-corrected for 2 questions), but behind Limit here (11 of 12 rounds, p < 0.0001, p < 0.0001 Holm-corrected for 2 questions).",
      ],
    ]);
    const both = [runs[0], await favouriteAmong(NAMES, 12, "Bus", 11, { id: "again" })];
    expect(kinds(bookOf({ runs: both }))).toEqual(["runs disagree"]);
  });

  it("a verdict of one's own against what was heard", async () => {
    const runs = [await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes" })];
    expect(contradictionsIn(bookOf({ runs, findings: [findingFor("Chime", "Bus", "first choice")] }))[0].says).toBe(
      "Your first choice is Bus. Blind, Limit is ahead of it (11 of 12 rounds, p < 0.0001).",
    );
    const untold = [await abxBetween(["Bus", "Drive"], 16, 9, { id: "run" })];
    const findings = [findingFor("Chime", "Bus", "first choice"), findingFor("Chime", "Drive", "not this")];
    expect(contradictionsIn(bookOf({ runs: untold, findings }))[0].says).toContain("verdicts differ for Bus and Drive");
  });
});

describe("what to test next", () => {
  const asked = { effect: 0.8, power: 0.8 };

  it("is nothing where nothing was claimed", () => {
    expect(whatNext(bookOf(), asked)).toEqual({ waiting: [], runs: [], settled: [] });
  });

  it("of what was preferred with open eyes: can it be told, in as many trials as the power takes", () => {
    const sighted = [
      sightedFor("Chime", "Bus", { heard: [heard("Chime", "Bus", true), heard("Chime", "Limit", true, 20)] }),
    ];
    const [run] = whatNext(bookOf({ sighted }), asked).runs;
    // 18 trials, 13 right, catch someone who is right in 80 % with 80 % (binomial distribution).
    expect(run).toMatchObject({
      form: "abx",
      passageId: "Chime",
      candidateIds: ["Limit", "Bus"],
      count: 18,
      minutes: 5,
    });
    const [harder] = whatNext(bookOf({ sighted }), { effect: 0.6, power: 0.8 }).runs;
    expect(harder.count).toBeGreaterThan(100);
  });

  it("of a first choice that nobody heard blind: from the dry one", () => {
    const book = bookOf({ findings: [findingFor("Voice", "Drive", "first choice")] });
    expect(whatNext(book, asked).runs).toMatchObject([
      { form: "abx", candidateIds: ["Dry", "Drive"], passageId: "Voice" },
    ]);
  });

  it("of two that were told: which is liked; of a favourite not shown: the two with most of it, told first", async () => {
    const told = await abxBetween(["Bus", "Limit"], 16, 13, { id: "told" });
    expect(whatNext(bookOf({ runs: [told] }), asked).runs).toMatchObject([
      { form: "pairs", candidateIds: ["Bus", "Limit"] },
    ]);
    const split = await favouriteAmong(["Limit", "Bus", "Drive"], 9, "Limit", 4, { id: "split" });
    expect(whatNext(bookOf({ runs: [split] }), asked).runs[0]).toMatchObject({ form: "abx" });
    expect(whatNext(bookOf({ runs: [split, told] }), asked).runs[0]).toMatchObject({ form: "pairs" });
  });

  it("of a run that was left: the whole of it; of one that waits: to go on", async () => {
    const left = await abxBetween(["Dry", "Bus"], 16, 10, { id: "left", taken: 10 });
    expect(whatNext(bookOf({ runs: [left] }), asked).runs[0].question).toContain("left early");
    const waits = { ...left, finishedAt: null, result: null, opened: null };
    expect(whatNext(bookOf({ runs: [waits] }), asked)).toMatchObject({ waiting: [{ runId: "left" }], runs: [] });
  });

  it("is more trials where there were too few, and a word where more will not help", async () => {
    const few = await abxBetween(["Dry", "Bus"], 5, 3, { id: "few" });
    expect(whatNext(bookOf({ runs: [few] }), asked)).toMatchObject({ runs: [{ form: "abx", count: 18 }], settled: [] });
    const many = await abxBetween(["Dry", "Bus"], 40, 21, { id: "many" });
    expect(whatNext(bookOf({ runs: [many] }), asked)).toMatchObject({
      runs: [],
      settled: [{ says: expect.stringContaining("More trials would only find a smaller difference") }],
    });
    const cells = bookOf().cells.map((c) => (c.candidateId === "Bus" ? { ...c, identical: "bit" as const } : c));
    expect(whatNext(bookOf({ cells, runs: [few] }), asked).settled[0].says).toContain(
      "bit-identical: no run can show a difference",
    );
    const moment = {
      startSeconds: 0,
      endSeconds: 1,
      lowHertz: 100,
      highHertz: 200,
      probability: 0.01,
      criterion: "change" as const,
      overMaskDb: -24,
    };
    const pairs = [
      { passageId: "Chime", candidateIds: ["Dry", "Bus"] as const, identical: "no" as const, nullDb: -80, moment },
    ];
    expect(whatNext(bookOf({ pairs, runs: [few] }), asked).settled[0].says).toContain("none expected by estimate");
    const lucky = await Promise.all(
      [12, 8, 7].map((right, i) => abxBetween(["Dry", "Bus"], 16, right, { id: `${i}` })),
    );
    expect(whatNext(bookOf({ runs: lucky }), asked).settled[0].says).toContain("makes a lucky one more likely");
  });

  it("asks for as many meetings as the exact two-sided test needs", () => {
    // By scipy.stats.binom: 6 of 6 (2/64) and 8 of 9 (20/512) are the first scores under 5 %; 15 of 20 is passed in 80 % by who is right in 80 %.
    expect(roundsNeeded(1, 0.99)).toBe(6);
    expect(roundsNeeded(0.9, 0.7)).toBe(9);
    expect(roundsNeeded(0.8, 0.8)).toBe(20);
    expect(roundsNeeded(0.55, 0.99)).toBeNull();
  });
});
