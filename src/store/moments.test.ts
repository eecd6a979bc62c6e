import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it } from "vitest";
import { momentSchema, sightedVerdictSchema } from "@/core/archive/rows";
import { database } from "./database";
import { ownDescriptors } from "./descriptors";
import { keepSightedVerdict, momentsOf, pinMoment, removeMoment, sightedBefore, sightedVerdictsOf } from "./moments";
import { filled } from "./testing";
import { deleteComparison } from "./whole";

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
});

describe("notes pinned to moments", () => {
  it("stand in the order they are heard, and their words become one's own", async () => {
    const { comparison, passage, a } = await filled();
    const pin = (frame: number, words: string[], renderId: string | null = a.id) =>
      pinMoment({ comparisonId: comparison.id, passageId: passage?.id ?? "", renderId, frame, words, text: "here" });
    await pin(48_000, ["plummy"]);
    await pin(1200, [], null);
    const moments = momentSchema.array().parse(await momentsOf(passage?.id ?? ""));
    expect(moments.map((m) => m.frame)).toEqual([1200, 48_000]);
    expect((await ownDescriptors())[0]).toBe("plummy");
    await removeMoment(moments[0].id);
    expect(await momentsOf(passage?.id ?? "")).toHaveLength(1);
    await deleteComparison(comparison.id);
    expect(await database.moments.count()).toBe(0);
  });
});

describe("sighted verdicts", () => {
  it("are all kept, latest first, each with what was heard before it", async () => {
    const { comparison, passage, a } = await filled();
    const passageId = passage?.id ?? "";
    const heard = [{ renderId: a.id, seconds: 12.5, matched: true }];
    await keepSightedVerdict({ comparisonId: comparison.id, passageId, renderId: a.id, sure: 80, why: "open", heard });
    await new Promise((resolve) => setTimeout(resolve, 5));
    await keepSightedVerdict({ comparisonId: comparison.id, passageId, renderId: null, sure: 10, why: "", heard: [] });
    const verdicts = sightedVerdictSchema.array().parse(await sightedVerdictsOf(passageId));
    expect(verdicts.map((v) => v.sure)).toEqual([10, 80]);
    expect(verdicts[1].heard).toEqual(heard);
    // Against a run stands the last one before it.
    const [latest, first] = verdicts;
    expect(await sightedBefore({ passageId, createdAt: first.createdAt })).toMatchObject({
      title: "a",
      verdict: { sure: 80 },
    });
    expect(await sightedBefore({ passageId, createdAt: latest.createdAt })).toMatchObject({ title: null });
    expect(await sightedBefore({ passageId, createdAt: "2020-01-01T00:00:00.000Z" })).toBeNull();
    await deleteComparison(comparison.id);
    expect(await database.sightedVerdicts.count()).toBe(0);
  });
});
