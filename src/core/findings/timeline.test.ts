import { describe, expect, it } from "vitest";
import type { Measurement } from "../archive/rows";
import { benchChain } from "../bench/bench";
import { measureLevels } from "../loudness/measure";
import { sine } from "../stimuli/signals";
import { SMALL_FORM } from "../testing/bench";
import { abxBetween, bookOf, favouriteAmong, findingFor, NAMES, renderId, sightedFor } from "../testing/book";
import { dynamicsWords } from "../words/findings";
import { filtered, timelineOf } from "./timeline";

const NOTHING = { notes: [], moments: [], measurements: [] };

describe("the timeline", () => {
  it("has everything that was run, said, noted and measured, the latest first, and where each came from", async () => {
    const runs = [
      await abxBetween(["Dry", "Bus"], 16, 13, { id: "told", code: "L1" }),
      await favouriteAmong(NAMES, 12, "Limit", 11, { id: "likes", passageId: "Voice", code: "L2" }),
      {
        ...(await abxBetween(["Dry", "Drive"], 16, 9, { id: "open", taken: 4 })),
        finishedAt: null,
        result: null,
        opened: null,
      },
    ];
    const book = bookOf({
      runs,
      sighted: [sightedFor("Chime", "Bus", { why: "more body" })],
      findings: [{ ...findingFor("Voice", "Limit", "first choice"), good: "level" }],
    });
    const measurement = {
      id: "m",
      candidateId: "Bus",
      title: "Bus",
      createdAt: "2026-11-20T10:00:00.000Z",
      report: benchChain([{ processorKey: "gain", settings: { gainDb: -3 } }], SMALL_FORM),
    };
    const entries = timelineOf(book, {
      notes: [
        { id: "n", comparisonId: "comparison", runId: "told", text: "bells", updatedAt: "2026-11-28T10:00:00.000Z" },
      ],
      moments: [
        {
          id: "x",
          comparisonId: "comparison",
          passageId: "Chime",
          renderId: renderId("Chime", "Drive"),
          frame: 480,
          words: ["harsh"],
          text: "",
          createdAt: "2026-11-27T10:00:00.000Z",
        },
      ],
      measurements: [measurement as unknown as Measurement],
    });
    expect(entries.map(({ id }) => id)).toEqual([
      "n",
      "x",
      "likes",
      "told",
      "finding Voice Limit",
      "sighted Chime Bus",
      "open",
      "m",
    ]);
    const by = Object.fromEntries(entries.map((e) => [e.id, e]));
    expect(by.told).toMatchObject({
      what: "ABX: Dry and Bus",
      outcome: "difference shown, 13 of 16, p = 0.0106",
      listener: "L1",
      from: { is: "run" },
    });
    expect(by.likes).toMatchObject({
      what: "Favourite rounds: Dry, Bus, Drive and Limit",
      outcome: "preference shown, Limit 11 of 12",
    });
    expect(by.open.outcome).toBe("open, 4 answered");
    expect(by.n).toMatchObject({ passageId: "Chime", candidateIds: ["Dry", "Bus"], listener: "L1", outcome: "bells" });
    expect(by.x).toMatchObject({ what: "Heard in Drive", outcome: "harsh", from: { is: "moment", frame: 480 } });
    expect(by["sighted Chime Bus"].outcome).toBe("70 % sure, more body");
    expect(by["finding Voice Limit"]).toMatchObject({
      outcome: "first choice; good: level",
      from: { is: "cell", passageId: "Voice" },
    });
    expect(by.m).toMatchObject({
      what: "Measured: Bus",
      outcome: expect.stringMatching(/^Wire: /),
      from: { is: "bench" },
    });
    const none = { kind: null, passageId: null, candidateId: null, listener: null };
    expect(filtered(entries, none)).toHaveLength(8);
    expect(filtered(entries, { ...none, kind: "run", candidateId: "Bus" }).map(({ id }) => id)).toEqual([
      "likes",
      "told",
    ]);
    expect(filtered(entries, { ...none, listener: "L2" }).map(({ id }) => id)).toEqual(["likes"]);
    expect(filtered(entries, { ...none, passageId: "Voice", kind: "verdict" })).toHaveLength(1);
  });

  it("is empty before anything was done", () => {
    expect(timelineOf(bookOf(), NOTHING)).toEqual([]);
  });
});

describe("a few words", () => {
  it("of dynamics are what the crest factor moved by", () => {
    const tone = measureLevels(sine({ hertz: 997, peakDbfs: -6, seconds: 1, channels: 1 }));
    expect(dynamicsWords(tone, tone)).toBe("crest factor unchanged");
    expect(dynamicsWords({ ...tone, samplePeakDbfs: -9 }, tone)).toBe("crest factor −3.0\u2009dB");
    expect(dynamicsWords({ ...tone, rmsDbfs: null }, tone)).toBeNull();
  });
});
