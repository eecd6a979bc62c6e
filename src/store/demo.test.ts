import { IN_STEP } from "@/core/alignment/alignment";
import "fake-indexeddb/auto";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { candidateSchema } from "@/core/archive/rows";
import { checkRecord, recordOf } from "@/core/blind/record";
import { FERRY_CANDIDATES, FERRY_PASSAGES } from "@/core/demo/ferry";
import type { JobOptions } from "@/workers/jobs";
import { scoreTask } from "@/workers/tasks/score";
import type { Run } from "./records";
import { readTone } from "./testing";

// The computing is stood in for, so that what is asked of it, and what is made of its answers, can be seen.

const runJob = vi.fn();
vi.mock("@/workers/jobs", () => ({
  JobCancelled: class extends Error {},
  runJob: (name: string, request: object, options: JobOptions) => runJob(name, request, options),
}));

/** Stands in for the ferry: makes the render asked for at once. */
type Passenger = { passageKey: string; candidateKey: string | null };
const sendFerry = async (name: string, request: unknown) => {
  if (name === "align") return IN_STEP;
  if (name === "levels") return { ...tone.levels, channels: [] };
  if (name === "score") return scoreTask.run(request as never, undefined as never);
  if (name !== "ferry") throw new Error(`asked for ${name}`);
  const { passageKey, candidateKey } = request as Passenger;
  const hash = `${passageKey} ${candidateKey}`;
  return { file: new Blob([hash]), ...tone, reading: { ...tone.reading, hash } };
};
const tone = readTone("tone", -20);
const RENDERS = FERRY_PASSAGES.length * (FERRY_CANDIDATES.length + 1);

async function freshStore() {
  vi.resetModules();
  const [{ openDemo }, { database }] = await Promise.all([import("./demo"), import("./database")]);
  return { openDemo, database };
}

const ferries = () => runJob.mock.calls.filter(([name]) => name === "ferry").length;

const made = (database: Awaited<ReturnType<typeof freshStore>>["database"]) =>
  vi.waitFor(async () => expect((await database.comparisons.toArray()).map((c) => c.demoVersion)).toEqual([4]), {
    timeout: 60_000,
  });

beforeEach(async () => {
  runJob.mockReset();
  const { database } = await freshStore();
  await Promise.all(database.tables.map((table) => table.clear()));
});

afterEach(() => vi.useRealTimers());

describe("the demo", () => {
  it("opens onto the crossing theme, dry against the first candidate, and fills up behind", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockImplementation(sendFerry);
    const id = await openDemo();
    await made(database);
    const passages = await database.passages.where({ comparisonId: id }).sortBy("position");
    expect(passages.map((p) => p.title)).toEqual(FERRY_PASSAGES.map((p) => p.title));
    expect((await database.comparisons.get(id))?.passageId).toBe(passages[0].id);
    expect(await database.renders.count()).toBe(RENDERS);
    const candidates = await database.candidates.where({ comparisonId: id }).sortBy("position");
    expect(candidates.map((c) => c.title)).toEqual(["Dry", ...FERRY_CANDIDATES.map((c) => c.title)]);
    expect(candidates[1]).toMatchObject({
      kind: "equalizer",
      summary: "high shelf 12 kHz +5, bell 300 Hz −2, output −2",
    });
    expect(candidates.at(-1)).toMatchObject({ kind: "outboard", chain: FERRY_CANDIDATES.at(-1)?.chain });
    expect(candidateSchema.array().safeParse(candidates).success).toBe(true);
    const dry = await database.renders.get(passages[0].dryRenderId);
    const yonder = await database.renders.get(passages[0].yonderRenderId);
    expect([dry?.fileName, yonder?.fileName]).toEqual(["crossing-theme_dry.wav", "crossing-theme_air-bilinear.wav"]);
  });

  it("has two finished runs of nobody's, sealed and taken as any other, once", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockImplementation(sendFerry);
    const id = await openDemo();
    await made(database);
    const runs = await database.runs.where({ comparisonId: id }).sortBy("createdAt");
    expect(runs.map((r) => r.plan.kind)).toEqual(["abx", "favourite"]);
    expect(runs.map((r) => r.result)).toMatchObject([
      { right: 14, answered: 16, outcome: "heard" },
      { outcome: "ahead", tally: { picks: [1, 1, 6, 0] } },
    ]);
    for (const run of runs) expect((await checkRecord(await recordOf(run))).holds).toBe(true);
    expect(new Set(runs.map((r) => r.listener?.code))).toEqual(new Set(["made up"]));
  });

  it("is found again rather than made twice", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockImplementation(sendFerry);
    const id = await openDemo();
    expect(await openDemo()).toBe(id);
    await made(database);
    const again = await freshStore();
    expect(await again.openDemo()).toBe(id);
    expect(ferries()).toBe(RENDERS);
  });

  it("left in part by a closed tab is taken up where it stands, each render once", async () => {
    const first = await freshStore();
    let given = 0;
    runJob.mockImplementation(async (name: string, request: Passenger) => {
      if (++given > 5) throw new Error("the tab was closed");
      return sendFerry(name, request);
    });
    const half = await first.openDemo();
    await vi.waitFor(async () => expect(await first.database.renders.count()).toBeGreaterThanOrEqual(5));
    const again = await freshStore();
    runJob.mockImplementation(sendFerry);
    expect(await again.openDemo()).toBe(half);
    await made(again.database);
    expect(await again.database.renders.count()).toBe(RENDERS);
    expect(await again.database.passages.count()).toBe(FERRY_PASSAGES.length);
  });

  it("of an earlier recipe goes, unless someone has tested or judged on it", async () => {
    const { openDemo, database } = await freshStore();
    const { createComparison } = await import("./comparisons");
    const { writeFinding } = await import("./findings");
    const untouched = await createComparison("Oxbow Ferry boarding music", 1);
    const tested = await createComparison("Oxbow Ferry boarding music", 1);
    await database.runs.add({ id: "run", comparisonId: tested.id } as Run);
    const judged = await createComparison("Oxbow Ferry boarding music", 1);
    await writeFinding({ comparisonId: judged.id, passageId: null, candidateId: "c" }, { verdict: "not this" });
    runJob.mockImplementation(sendFerry);
    await openDemo();
    expect(await database.comparisons.get(untouched.id)).toBeUndefined();
    for (const { id } of [tested, judged])
      expect(await database.comparisons.get(id)).toMatchObject({ demoVersion: null });
  });

  it("asks for the pair in sight first and for all else in the background", async () => {
    const { openDemo } = await freshStore();
    runJob.mockImplementation(sendFerry);
    await openDemo();
    const sent = runJob.mock.calls.filter(([name]) => name === "ferry");
    const ranks = sent.map(([, request, { rank }]) => [request.passageKey, request.candidateKey, rank]);
    expect(ranks.filter(([, , rank]) => rank === "normal")).toEqual([
      ["crossing-theme", null, "normal"],
      ["crossing-theme", "air-bilinear", "normal"],
    ]);
  });

  it("stays as far as it came when it is cancelled once someone looks at it", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockImplementation(async (name: string, request: Passenger, options: JobOptions) => {
      if (options.rank === "background") throw new Error("cancelled");
      return sendFerry(name, request);
    });
    const id = await openDemo();
    await new Promise((done) => setTimeout(done, 50));
    expect(await database.renders.where({ comparisonId: id }).count()).toBe(2);
    expect((await database.comparisons.get(id))?.demoVersion).toBe(-4);
  });

  it("leaves nothing behind when its making is cancelled, and can be asked for again", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockRejectedValue(new Error("cancelled"));
    await expect(openDemo()).rejects.toThrow("cancelled");
    expect(await database.comparisons.count()).toBe(0);
    runJob.mockImplementation(sendFerry);
    await openDemo();
    await made(database);
  });
});

describe("lining up", () => {
  it("asks once for each pair of contents, and never for the dry one against itself", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockImplementation(sendFerry);
    await openDemo();
    await made(database);
    const { alignmentOf } = await import("./line-up");
    const { pairFigures } = await import("./levelling");
    const renders = await database.renders.toArray();
    const named = (name: string) => renders.find((r) => r.fileName === name) ?? renders[0];
    const dry = named("hand-drums_dry.wav");
    const other = named("hand-drums_drive-stage.wav");
    runJob.mockReset();
    const found = { ...IN_STEP, delaySamples: 31, confidence: 0.9 };
    runJob.mockResolvedValue(found);
    expect(await alignmentOf(dry, dry)).toMatchObject({ delaySamples: 0, confidence: 1 });
    expect(await Promise.all([alignmentOf(other, dry), alignmentOf(other, dry)])).toEqual([found, found]);
    expect(await alignmentOf(other, dry)).toEqual(found);
    expect(runJob).toHaveBeenCalledTimes(1);

    const level = { integratedLufs: -20, rmsDbfs: -20, windowPowers: new Float64Array([0.01]) };
    const figures = {
      here: level,
      yonder: level,
      inStepDb: -10,
      nullDb: -20,
      nullGainDb: -1,
      energies: { here: 1, yonder: 1, product: 0.9 },
      judged: { startFrame: 0, endFrame: 48_000 },
      identical: "no",
    };
    runJob.mockResolvedValue(figures);
    const region = { startFrame: 0, endFrame: 48_000 };
    expect(await pairFigures(dry, other, dry, region)).toEqual(figures);
    await pairFigures(dry, other, dry, region);
    expect(runJob).toHaveBeenCalledTimes(2);
    await pairFigures(dry, other, dry, { ...region, endFrame: 24_000 });
    expect(runJob).toHaveBeenCalledTimes(3);
    const [name, request, { files }] = runJob.mock.calls[1];
    expect(name).toBe("pair");
    // What the late one lacks at its end is not judged.
    expect(request).toMatchObject({
      region: { startFrame: 0, endFrame: 48_000 - 31 },
      here: { of: "file", hash: dry.audioHash },
      yonder: { of: "step", placement: { delaySamples: 31 }, source: { of: "file", hash: other.audioHash } },
    });
    expect(files.map((f: { hash: string }) => f.hash).sort()).toEqual([dry.audioHash, other.audioHash].sort());
  });

  it("says which file is gone when its audio is", async () => {
    const { openDemo, database } = await freshStore();
    runJob.mockImplementation(sendFerry);
    await openDemo();
    await made(database);
    const { plainFile } = await import("./copies");
    const [render] = await database.renders.toArray();
    await database.audio.clear();
    await expect(plainFile(render.audioHash)).rejects.toThrow(
      `The audio of ${render.fileName} is no longer in this browser`,
    );
  });
});
