import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { changeCandidate } from "./comparisons";
import { database } from "./database";
import { addition, filled } from "./testing";

/** What was asked of workers; each answers with a render of its own content. */
const asked: { name: string; request: Record<string, unknown> }[] = [];
let failing = "";

vi.mock("./results", async (original) => ({
  ...(await original<typeof import("./results")>()),
  workOut: async (name: string, request: Record<string, unknown>) => {
    asked.push({ name, request });
    if (name === failing) throw new Error("no room");
    const { file, reading, levels, signature } = addition(`${name} ${asked.length}.wav`, -6);
    return { file, reading, levels, signature: signature ?? { rateHz: 1, values: [] }, outline: null };
  },
  keepResult: async () => {},
}));
const { stressFiles, runStressTest } = await import("./stress-test");

beforeEach(async () => {
  asked.length = 0;
  failing = "";
  await Promise.all(database.tables.map((table) => table.clear()));
});

async function withChains() {
  const { comparison, dry } = await filled();
  const [first, second] = (await database.candidates.toArray()).filter((c) => c.id !== dry.candidateId);
  await changeCandidate(first.id, { chain: [{ processorKey: "drive-stage", settings: { driveDb: 12 } }] });
  const candidates = (await database.candidates.toArray()).filter((c) => c.id === first.id || c.id === second.id);
  return { comparison, candidates, made: first, dry };
}

describe("material driven by force", () => {
  it("becomes a passage for each material: dry is the driven one, the others are of the candidates that were there", async () => {
    const { comparison, candidates, made, dry } = await withChains();
    const before = await database.candidates.count();
    const order = {
      comparisonId: comparison.id,
      candidates,
      materialKeys: ["struck-bells", "hand-drums"],
      driveDb: 24,
    };
    const titles = await runStressTest(order);
    expect(titles).toEqual(["Stress test: struck bells, +24 dB", "Stress test: hand drums, +24 dB"]);
    expect(await database.candidates.count()).toBe(before);
    for (const title of titles) {
      const passage = await database.passages
        .where({ comparisonId: comparison.id })
        .filter((p) => p.title === title)
        .first();
      if (!passage) throw new Error(title);
      const renders = await database.renders.where({ passageId: passage.id }).toArray();
      expect(renders).toHaveLength(2);
      // The untouched column is the one that was there, whatever it is called.
      expect(renders.find((r) => r.id === passage.dryRenderId)?.candidateId).toBe(dry.candidateId);
      expect(renders.find((r) => r.id === passage.yonderRenderId)?.candidateId).toBe(made.id);
    }
    // What came from outside is not run; each chain hears the driven material itself.
    expect(asked.map(({ name }) => name).toSorted()).toEqual(["forceMaterial", "forceMaterial", "process", "process"]);
    for (const { request } of asked.filter(({ name }) => name === "process"))
      expect(request).toMatchObject({ chain: [{ processorKey: "drive-stage" }], keepLatency: false });
    expect((await database.comparisons.get(comparison.id))?.passageId).toBe(
      (await database.passages.toArray()).find((p) => p.title === titles[0])?.id,
    );
  });

  it("is numbered where it was done before, and leaves nothing behind where it fails", async () => {
    const { comparison, candidates } = await withChains();
    const order = { comparisonId: comparison.id, candidates, materialKeys: ["hand-drums"], driveDb: 12 };
    await runStressTest(order);
    expect(await runStressTest(order)).toEqual(["Stress test: hand drums, +12 dB 2"]);
    const [passages, renders] = [await database.passages.count(), await database.renders.count()];
    failing = "process";
    await expect(runStressTest(order)).rejects.toThrow("no room");
    expect([await database.passages.count(), await database.renders.count()]).toEqual([passages, renders]);
  });

  it("can be had as files for what stands outside", async () => {
    const files = await stressFiles({ materialKeys: ["hand-drums"], driveDb: 36 });
    expect(files.map((f) => f.name)).toEqual(["stress-test-hand-drums-36-db-dry.wav"]);
    expect(asked).toEqual([{ name: "forceMaterial", request: { materialKey: "hand-drums", driveDb: 36 } }]);
  });
});
