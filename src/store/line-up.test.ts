import "fake-indexeddb/auto";
import Dexie from "dexie";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { AS_IT_IS, IN_STEP, type Placement } from "@/core/alignment/alignment";
import { renderSchema } from "@/core/archive/rows";
import { DEFAULT_MATCH } from "@/core/matching/match-passage";
import { type Recipe, recipeKey } from "@/core/recipes/recipe";
import type { JobOptions } from "@/workers/jobs";
import { createComparison, setMatch, setMatchEverywhere } from "./comparisons";
import { keepCopy, plainFile, prepared, workedOut } from "./copies";
import { database } from "./database";
import { addRenders } from "./import-files";
import { levelsOver, measuredMatch, refreshLevels } from "./levelling";
import { adjustPlacement, backToFound, handOf, inForce, placedRecipe, placementNow, setLocked } from "./line-up";
import { removeRenders } from "./removing";
import { readTone } from "./testing";
import { deleteComparison } from "./whole";

// The computing is stood in for, so that what is asked of it, and what is made of its answers, can be seen.

const runJob = vi.fn();
vi.mock("@/workers/jobs", () => ({
  JobCancelled: class extends Error {},
  runJob: (name: string, request: object, options: JobOptions) => runJob(name, request, options),
}));
const asked = (name: string) => runJob.mock.calls.filter((call) => call[0] === name);

const addition = (name: string, peakDbfs: number, dry = false) => ({
  file: new File([name], name),
  ...readTone(`hash of ${peakDbfs}`, peakDbfs),
  candidateTitle: name.replace(".wav", ""),
  dry,
});

const found = { ...IN_STEP, delaySamples: 31, confidence: 0.9 };
const stretch = (integratedLufs: number) => ({
  ...readTone("", -20).levels,
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
  runJob.mockImplementation(async (name: string, { sound }: { sound?: Recipe }) => {
    if (name === "align") return found;
    if (name === "levels") return stretch(-20 + (sound?.of === "gain" ? sound.gainDb : 0));
    if (name === "copy") return new Blob(["corrected"]);
    if (name === "decode") return new Blob(["unpacked"]);
    throw new Error(`asked for ${name}`);
  });
});

describe("a placement by hand", () => {
  const later = (by: number) => (p: Placement) => ({ ...p, delaySamples: p.delaySamples + by });

  it("adds up when keys come faster than the page is drawn, and starts from what was found", async () => {
    const { dry, late } = await filled();
    await Promise.all([1, 1, 0.01].map((by) => adjustPlacement(late.id, dry, found, later(by))));
    const set = await read(late.id);
    expect(set.hand?.placement.delaySamples).toBeCloseTo(33.01, 9);
    expect(inForce(set, dry, found)).toMatchObject({ found: true, confidence: 1, doubts: [] });
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

describe("copies of what is worked out", () => {
  const half = { ...AS_IT_IS, delaySamples: 0.5 };

  it("are made once for each recipe, and only where samples have to be read between", async () => {
    const { dry, late } = await filled();
    const shifted = placedRecipe(late, dry, { ...AS_IT_IS, delaySamples: 7 });
    expect((await prepared(shifted)).recipe).toEqual(shifted);
    const between = placedRecipe(late, dry, half);
    const [first, second] = await Promise.all([prepared(between), prepared(between)]);
    expect(first).toEqual(second);
    expect(first.recipe).toEqual({ of: "file", hash: recipeKey(between) });
    await prepared(between);
    expect(asked("copy")).toHaveLength(1);
    expect(asked("copy")[0][2].files).toEqual([{ hash: late.audioHash, bytes: expect.any(Blob) }]);
    await prepared(placedRecipe(late, dry, { ...half, driftPpm: 3 }));
    expect(asked("copy")).toHaveLength(2);
    // A gain over it is looked up, not worked out.
    const louder = await prepared({ of: "gain", source: between, gainDb: 3 });
    expect(louder.recipe).toEqual({ of: "gain", source: first.recipe, gainDb: 3 });
    expect(asked("copy")).toHaveLength(2);
  });

  it("have the rate of the dry render, whatever has to be shifted", async () => {
    const { dry, late } = await filled();
    const high = { ...late, sampleRateHz: 96_000, frames: 96_001 };
    const recipe = placedRecipe(high, dry, AS_IT_IS);
    expect(recipe).toMatchObject({ of: "step", frames: dry.frames, source: { of: "rate", sampleRateHz: 48_000 } });
    // The conversion is kept; what is cut off its end is not worth a copy.
    expect((await prepared(recipe)).recipe).toMatchObject({ of: "step", source: { of: "file" } });
    // A conversion and a reading between its samples are one copy.
    await prepared(placedRecipe(high, dry, half));
    expect(asked("copy").map((call) => call[1].sound.of)).toEqual(["rate", "step"]);
  });

  it("are used where they are there and not waited for where something is to be heard", async () => {
    const { dry, late } = await filled();
    const between = placedRecipe(late, dry, half);
    expect((await workedOut(between)).recipe).toEqual(between);
    expect(asked("copy")).toHaveLength(0);
    await prepared(between);
    expect((await workedOut(between)).recipe).toEqual({ of: "file", hash: recipeKey(between) });
  });

  it("of coded files are made anew where they were let go", async () => {
    const { late } = await filled();
    await database.renders.update(late.id, { encoding: "FLAC 24-bit" });
    const unpacked = await plainFile(late.audioHash);
    expect(unpacked.hash).toBe(late.audioHash);
    expect(await unpacked.bytes.text()).toBe("unpacked");
    await plainFile(late.audioHash);
    expect(asked("decode")).toHaveLength(1);
    await database.copies.clear();
    await plainFile(late.audioHash);
    expect(asked("decode")).toHaveLength(2);
  });

  it("go with the audio they were made from", async () => {
    const { comparison, dry, late } = await filled();
    const between = placedRecipe(late, dry, half);
    await prepared(between);
    expect(await database.copies.count()).toBe(1);
    await removeRenders([late]);
    expect(await database.copies.count()).toBe(0);
    await addRenders(comparison.id, { title: "Again" }, [addition("late.wav", -20), addition("dry.wav", -23, true)]);
    await prepared(between);
    await deleteComparison(comparison.id);
    expect(await database.copies.count()).toBe(0);
  });
});

describe("room for copies", () => {
  it("is kept by letting go of those longest unused", async () => {
    await filled();
    const old = (key: string, usedAt: number) => ({ key, bytes: new Blob(["x"]), byteCount: 700_000_000, usedAt });
    await database.copies.bulkAdd([old("oldest", 1), old("older", 2), old("newer", 3)]);
    await keepCopy("made now", new Blob(["corrected"]));
    const kept = (await database.copies.orderBy("usedAt").toArray()).map((c) => c.key);
    expect(kept).toEqual(["older", "newer", "made now"]);
  });

  it("that cannot be had is no failure: the copy is made again when it is next needed", async () => {
    const { dry, late } = await filled();
    const full = vi.spyOn(database.copies, "put").mockRejectedValue(new Error("no room"));
    const between = placedRecipe(late, dry, { ...AS_IT_IS, delaySamples: 0.5 });
    expect((await prepared(between)).files[0].bytes.size).toBe(9);
    await prepared(between);
    expect(asked("copy")).toHaveLength(2);
    full.mockRestore();
  });
});

describe("levels of an earlier version", () => {
  it("are measured anew, once for each content, and those of this version are left alone", async () => {
    const { dry, late } = await filled();
    const { levelsVersion: _, ...old } = { ...late, levels: { ...late.levels, integratedLufs: -99 } };
    await database.renders.put(old);
    const measured = { ...late.levels, integratedLufs: -17 };
    runJob.mockImplementation(async () => ({ ...measured, channels: [] }));
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
    const match = await measuredMatch(passage, dry, [dry, late]);
    expect(match.renders.get(late.id)?.levelOffset).toBe(0);
    // The late one lacks the last 31 frames: the dry one is measured over what it covers too.
    const endFrame = dry.frames - 31;
    const wholeDry = { of: "file", hash: dry.audioHash };
    expect(asked("levels").map((call) => call[1].sound)).toEqual(
      expect.arrayContaining([
        wholeDry,
        { of: "stretch", source: wholeDry, startFrame: 0, endFrame },
        expect.objectContaining({ of: "stretch", source: expect.objectContaining({ of: "step" }), endFrame }),
      ]),
    );
    expect(asked("levels")).toHaveLength(3);
    await measuredMatch(passage, dry, [dry, late]);
    expect(asked("levels")).toHaveLength(3);
    const region = { startFrame: 0, endFrame: 48_000 };
    expect((await levelsOver(late, dry, region, -3)).integratedLufs).toBe(-23);
  });

  it("is set for one passage, or alike for all", async () => {
    const { comparison, passage } = await filled();
    await setMatch(passage.id, { method: "rms" });
    const other = await addRenders(comparison.id, { title: "Other" }, [addition("x.wav", -10, true)]);
    expect((await database.passages.get(other))?.match).toEqual(DEFAULT_MATCH);
    const changed = await database.passages.get(passage.id);
    await setMatchEverywhere(comparison.id, changed?.match ?? DEFAULT_MATCH);
    expect((await database.passages.get(other))?.match.method).toBe("rms");
  });
});

describe("a match that is changed quicker than it is drawn", () => {
  it("keeps every change", async () => {
    const { passage } = await filled();
    await Promise.all([
      setMatch(passage.id, { ceilingDbtp: 0 }),
      setMatch(passage.id, { over: "loop" }),
      setMatch(passage.id, { target: { to: "figure", level: -12 } }),
    ]);
    expect((await database.passages.get(passage.id))?.match).toEqual({
      ...DEFAULT_MATCH,
      ceilingDbtp: 0,
      over: "loop",
      target: { to: "figure", level: -12 },
    });
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
    expect(await database.comparisons.get("c")).toEqual({ id: "c", title: "Old", runsChains: false });
    expect((await database.passages.get("p"))?.match).toEqual({ ...DEFAULT_MATCH, over: "loop" });
    expect((await database.renders.get("r"))?.hand).toBeNull();
  });
});
