import "fake-indexeddb/auto";
import Dexie from "dexie";
import { expect, it } from "vitest";
import { sealHolds } from "@/core/blind/record";
import { runSchema } from "@/core/blind/run";

// A browser that was last opened with version 4 of the tables.

const side = (title: string) => ({
  renderId: `render ${title}`,
  title,
  audioHash: `hash ${title}`,
  fileName: `${title}.wav`,
  placement: { delaySamples: 0, driftPpm: 0, polarity: { left: 1, right: 1 }, swapped: false },
});

it("a run begun with version 4 goes on with its order, and an ended one keeps its seal", async () => {
  const earlier = new Dexie("yonder-pair");
  earlier.version(4).stores({
    comparisons: "id, updatedAt",
    candidates: "id, comparisonId",
    runs: "id, comparisonId, passageId",
    seals: "runId",
  });
  await earlier.table("comparisons").add({ id: "comparison", title: "Ferry" });
  await earlier.table("candidates").add({ id: "bus", comparisonId: "comparison", title: "Bus" });
  const run = {
    id: "old",
    comparisonId: "comparison",
    passageId: "passage",
    passageTitle: "Verse",
    dryRenderId: "dry",
    here: side("Dry"),
    yonder: side("Bus"),
    region: { startFrame: 0, endFrame: 48_000 },
    sampleRateHz: 48_000,
    plan: { kind: "abx", trials: 5, rightNeeded: 5 },
    match: {
      over: "loop",
      method: "integrated",
      hereGainDb: 0,
      yonderGainDb: -3,
      edgeLu: 3,
      remainingLu: 0,
      overruled: false,
    },
    // SHA-256 of "yonder-pair/seal@1\nold\n00ff\nABBAB", worked out with sha256sum.
    sealDigest: "1d33b81ee6630cfd8595d9b3169718b045b67c2f23e61f51eea064018c99447f",
    createdAt: "2026-11-20T10:00:00.000Z",
    finishedAt: null,
    trials: [{ answer: "A", answeredAt: "2026-11-20T10:01:00.000Z", listeningSeconds: 4 }],
    result: null,
    opened: null,
  };
  await earlier.table("runs").add(run);
  const result = {
    answered: 1,
    right: 1,
    guessing: 0.5,
    abilityLow: 0,
    abilityHigh: 1,
    dPrime: null,
    outcome: "left early",
  };
  const ended = {
    ...run,
    result,
    match: { ...run.match, overruled: true },
    finishedAt: "2026-11-20T10:05:00.000Z",
    opened: { order: [..."ABBAB"], saltHex: "00ff" },
  };
  await earlier.table("runs").add({ ...ended, comparisonId: "another", id: "old too" });
  await earlier.table("seals").add({ runId: "old", saltHex: "00ff", order: [..."ABBAB"] });
  earlier.close();

  const { database } = await import("./database");
  const { hiddenSeats, answerTrial } = await import("./runs");
  expect(await database.comparisons.get("comparison")).toMatchObject({ title: "Ferry", runsChains: false });
  expect(await database.candidates.get("bus")).toMatchObject({ title: "Bus", versionOf: null });
  const taken = runSchema.array().parse(await database.runs.toArray());
  expect(taken.map((r) => r.stimuli.map((s) => [s.title, s.gainDb]))).toEqual([
    [
      ["Dry", 0],
      ["Bus", -3],
    ],
    [
      ["Dry", 0],
      ["Bus", -3],
    ],
  ]);
  expect(await hiddenSeats("old", 1)).toEqual([0, 1, 1]);
  await answerTrial("old", 1, { side: "B" }, 3);
  expect((await database.runs.get("old"))?.trials.map((t) => t.answer)).toEqual([{ side: "A" }, { side: "B" }]);
  const over = taken.find((r) => r.id === "old too");
  expect(over).toMatchObject({ result: { kind: "right or wrong", right: 1 }, overruled: [{ name: "level" }] });
  expect(over?.opened?.order).toEqual([
    [0, 0, 1],
    [0, 1, 1],
    [0, 1, 1],
    [0, 0, 1],
    [0, 1, 1],
  ]);
  expect(over && (await sealHolds({ ...over, id: "old" }))).toBe(true);
});
