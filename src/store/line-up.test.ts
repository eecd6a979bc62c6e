import "fake-indexeddb/auto";
import Dexie from "dexie";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { AS_IT_IS, IN_STEP, type Placement } from "@/core/alignment/alignment";
import { DEFAULT_MATCH } from "@/core/matching/match-passage";
import type { JobOptions } from "@/workers/jobs";
import type { Request } from "@/workers/tasks";
import { createComparison, deleteComparison, setMatch, setMatchEverywhere } from "./comparisons";
import { database } from "./database";
import { addRenders } from "./import-files";
import { levelsOver, matchOf, refreshLevels } from "./levelling";
import { adjustPlacement, backToFound, handOf, inForce, placedOf, placementNow, setLocked } from "./line-up";
import { renderSchema } from "./records";
import { removeRenders } from "./removing";
import { inspectedTone } from "./testing";

// The computing is stood in for, so that what is asked of it, and what is made of its answers, can be seen.

const runJob = vi.fn();
vi.mock("@/workers/jobs", () => ({ runJob: (request: Request, options: JobOptions) => runJob(request, options) }));

const addition = (name: string, peakDbfs: number, dry = false) => ({
  file: new File([name], name),
  inspected: inspectedTone(`hash of ${peakDbfs}`, peakDbfs),
  candidateTitle: name.replace(".wav", ""),
  dry,
});

const found = { ...IN_STEP, delaySamples: 31, confidence: 0.9 };
const stretch = (integratedLufs: number) => ({
  ...inspectedTone("", -20).levels,
  integratedLufs,
  truePeakDbtp: -6,
  channels: [],
});

async function filled() {
  const comparison = await createComparison("Test");
  const passageId = await addRenders(comparison.id, { title: "Verse" }, [
    addition("dry.wav", -23, true),
    addition("late.wav", -20),
  ]);
  const passage = await database.passages.get(passageId);
  const [dry, late] = await database.renders.where({ passageId }).sortBy("fileName");
  if (!passage) throw new Error("no passage");
  return { comparison, passage, dry, late };
}

const read = async (id: string) => renderSchema.parse(await database.renders.get(id));

beforeEach(async () => {
  await Promise.all(database.tables.map((t) => t.clear()));
  runJob.mockReset();
  runJob.mockImplementation(async (request: Request) => {
    if (request.task === "align") return found;
    if (request.task === "levels") return stretch(-20 + request.gainDb);
    if (request.task === "correct") return new Blob(["corrected"]);
    throw new Error(`asked for ${request.task}`);
  });
});

describe("a placement by hand", () => {
  const later = (by: number) => (p: Placement) => ({ ...p, delaySamples: p.delaySamples + by });

  it("adds up when keys come faster than the page is drawn, and starts from what was found", async () => {
    const { dry, late } = await filled();
    await Promise.all([1, 1, 0.01].map((by) => adjustPlacement(late.id, dry, found, later(by))));
    const set = await read(late.id);
    expect(set.hand?.placement.delaySamples).toBeCloseTo(33.01, 9);
    expect(inForce(set, dry, found)).toMatchObject({ found: true, confidence: 1, doubt: null });
    expect((await placementNow(set, dry)).delaySamples).toBeCloseTo(33.01, 9);
    // What belongs to the finding is not kept with it.
    expect(Object.keys(set.hand?.placement ?? {}).sort()).toEqual(["delaySamples", "driftPpm", "polarity", "swapped"]);
  });

  it("is held by a lock against keys and against going back, until it is let go", async () => {
    const { dry, late } = await filled();
    await setLocked(late, dry, { ...AS_IT_IS, delaySamples: 5 }, true);
    await adjustPlacement(late.id, dry, found, later(1));
    await backToFound(await read(late.id), dry);
    expect((await read(late.id)).hand).toMatchObject({ locked: true, placement: { delaySamples: 5 } });
    await setLocked(await read(late.id), dry, { ...AS_IT_IS, delaySamples: 5 }, false);
    await backToFound(await read(late.id), dry);
    expect((await read(late.id)).hand).toBeNull();
  });

  it("never touches the dry render, and holds against that dry render alone", async () => {
    const { dry, late } = await filled();
    await adjustPlacement(dry.id, dry, AS_IT_IS, later(1));
    expect((await read(dry.id)).hand).toBeNull();
    await adjustPlacement(late.id, dry, found, later(1));
    const otherDry = { ...dry, audioHash: "another" };
    expect(handOf(await read(late.id), otherDry)).toBeNull();
    expect(inForce(await read(late.id), otherDry, found)).toBe(found);
  });
});

describe("corrections", () => {
  const half = { ...AS_IT_IS, delaySamples: 0.5 };
  const corrections = () => runJob.mock.calls.filter(([request]) => request.task === "correct");

  it("are made once for each content and placement, and only where samples have to be read between", async () => {
    const { dry, late } = await filled();
    expect((await placedOf(late, dry, { placement: { ...AS_IT_IS, delaySamples: 7 } })).corrected).toBeNull();
    const [first, second] = await Promise.all([1, 2].map(() => placedOf(late, dry, { placement: half })));
    expect(first.corrected?.hash).toBe(second.corrected?.hash);
    await placedOf(late, dry, { placement: half });
    expect(corrections()).toHaveLength(1);
    await placedOf(late, dry, { placement: { ...half, driftPpm: 3 } });
    expect(corrections()).toHaveLength(2);
    // A render at another rate is converted, once, even where nothing has to be shifted.
    const high = { ...late, sampleRateHz: 96_000, frames: 96_001 };
    const placed = await placedOf(high, dry, { placement: AS_IT_IS });
    expect(placed).toMatchObject({ ownFrames: 48_001, corrected: { hash: expect.stringContaining(late.audioHash) } });
  });

  it("go with the audio they were made from", async () => {
    const { comparison, dry, late } = await filled();
    await placedOf(late, dry, { placement: half });
    expect(await database.corrections.count()).toBe(1);
    await removeRenders([late]);
    expect(await database.corrections.count()).toBe(0);
    await addRenders(comparison.id, { title: "Again" }, [addition("late.wav", -20), addition("dry.wav", -23, true)]);
    await placedOf(late, dry, { placement: half });
    await deleteComparison(comparison.id);
    expect(await database.corrections.count()).toBe(0);
  });
});

describe("room for corrections", () => {
  it("is kept by letting go of those longest unused", async () => {
    const { dry, late } = await filled();
    const old = (key: string, usedAt: number) => ({ key, bytes: new Blob(["x"]), byteCount: 700_000_000, usedAt });
    await database.corrections.bulkAdd([old("oldest", 1), old("older", 2), old("newer", 3)]);
    await placedOf(late, dry, { placement: { ...AS_IT_IS, delaySamples: 0.5 } });
    const kept = (await database.corrections.orderBy("usedAt").toArray()).map((c) => c.key);
    expect(kept).toHaveLength(3);
    expect(kept.slice(0, 2)).toEqual(["older", "newer"]);
    expect(kept[2]).toContain(late.audioHash);
  });

  it("that cannot be had is no failure: the render is made again when it is next needed", async () => {
    const { dry, late } = await filled();
    const full = vi.spyOn(database.corrections, "put").mockRejectedValue(new Error("no room"));
    const half = { ...AS_IT_IS, delaySamples: 0.5 };
    expect((await placedOf(late, dry, { placement: half })).corrected?.bytes.size).toBe(9);
    await placedOf(late, dry, { placement: half });
    expect(runJob.mock.calls.filter(([request]) => request.task === "correct")).toHaveLength(2);
    full.mockRestore();
  });
});

describe("levels of an earlier version", () => {
  it("are measured anew, once for each content, and those of this version are left alone", async () => {
    const { dry, late } = await filled();
    const { levelsVersion: _, ...old } = { ...late, levels: { ...late.levels, integratedLufs: -99 } };
    await database.renders.put(old);
    const measured = { ...late.levels, integratedLufs: -17 };
    runJob.mockImplementation(async () => measured);
    await Promise.all([refreshLevels(dry), refreshLevels(old), refreshLevels(old)]);
    expect(runJob).toHaveBeenCalledTimes(1);
    expect(await read(late.id)).toMatchObject({ levels: measured, levelsVersion: late.levelsVersion });
    await refreshLevels(await read(late.id));
    expect(runJob).toHaveBeenCalledTimes(1);
  });
});

describe("the match of a passage", () => {
  it("is measured in step, by its own settings, and asked for once", async () => {
    const { passage, dry, late } = await filled();
    const match = await matchOf(passage, dry, [dry, late]);
    expect(match.renders.get(late.id)?.edge).toBe(0);
    const asked = runJob.mock.calls.filter(([request]) => request.task === "levels");
    // The late one lacks the last 31 frames: the dry one is measured over what it covers too.
    expect(asked).toHaveLength(3);
    expect(asked.map(([request]) => request.render.placement.delaySamples).sort()).toEqual([0, 0, 31]);
    const ends = asked.map(([request]) => request.region.endFrame).sort((a, b) => a - b);
    expect(ends.at(-1)).toBe(dry.frames);
    expect(ends.slice(0, 2)).toEqual([dry.frames - 31, dry.frames - 31]);
    await matchOf(passage, dry, [dry, late]);
    expect(runJob.mock.calls.filter(([request]) => request.task === "levels")).toHaveLength(3);
    const region = { startFrame: 0, endFrame: 48_000 };
    expect((await levelsOver(late, dry, region, -3)).integratedLufs).toBe(-23);
  });

  it("is set for one passage, or alike for all", async () => {
    const { comparison, passage } = await filled();
    await setMatch(passage, { method: "rms" });
    const other = await addRenders(comparison.id, { title: "Other" }, [addition("x.wav", -10, true)]);
    expect((await database.passages.get(other))?.match).toEqual(DEFAULT_MATCH);
    const changed = await database.passages.get(passage.id);
    await setMatchEverywhere(comparison.id, changed?.match ?? DEFAULT_MATCH);
    expect((await database.passages.get(other))?.match.method).toBe("rms");
  });
});

describe("a database of an earlier version", () => {
  it("keeps what it was matched over, and gains what is new", async () => {
    database.close();
    await Dexie.delete("yonder-pair");
    const earlier = new Dexie("yonder-pair");
    earlier.version(2).stores({
      comparisons: "id, updatedAt",
      passages: "id, comparisonId",
      candidates: "id, comparisonId",
      renders: "id, comparisonId, passageId, candidateId, audioHash",
      audio: "hash",
      runs: "id, comparisonId, passageId",
      seals: "runId",
      notes: "id, comparisonId, runId",
      settings: "key",
      analyses: "key",
    });
    await earlier.table("comparisons").add({ id: "c", title: "Old", matchOver: "loop" });
    await earlier.table("passages").add({ id: "p", comparisonId: "c", title: "Verse" });
    await earlier.table("renders").add({ id: "r", comparisonId: "c", passageId: "p" });
    earlier.close();
    await database.open();
    expect(await database.comparisons.get("c")).toEqual({ id: "c", title: "Old" });
    expect((await database.passages.get("p"))?.match).toEqual({ ...DEFAULT_MATCH, over: "loop" });
    expect((await database.renders.get("r"))?.hand).toBeNull();
  });
});
