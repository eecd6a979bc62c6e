import "fake-indexeddb/auto";
import { unzipSync } from "fflate";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { z } from "zod";
import { candidateSchema, renderSchema } from "@/core/archive/rows";
import { DEFAULT_MATCH, matchPassage } from "@/core/matching/match-passage";
import { cached } from "./cached";
import { changeCandidate, createComparison, crossOver, reorder, setSide } from "./comparisons";
import { database } from "./database";
import { exportNames } from "./export-renders";
import { addRenders } from "./import-files";
import { keepWithin } from "./keep-within";
import { fileEntryOf } from "./levelling";
import type { Render } from "./records";
import { putBack, removeRenders } from "./removing";
import { readSetting, writeSetting } from "./settings";
import { addition, filled } from "./testing";
import { type ZipEntry, zipped } from "./zip";

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
});

describe("a result that is being worked out", () => {
  it("is worked out anew for whoever still wants it when the one who began it turns away", async () => {
    const { JobCancelled } = await import("@/workers/jobs");
    const first = new AbortController();
    const begun = cached(
      "shared",
      z.number(),
      () =>
        new Promise<number>((_, reject) => first.signal.addEventListener("abort", () => reject(new JobCancelled()))),
      first.signal,
    );
    const other = cached("shared", z.number(), async () => 42, new AbortController().signal);
    const turnedAway = expect(begun).rejects.toBeInstanceOf(JobCancelled);
    await new Promise((resolve) => setTimeout(resolve, 20));
    first.abort();
    await turnedAway;
    expect(await other).toBe(42);
    expect(await cached("shared", z.number(), async () => 0)).toBe(42);
  });
});

describe("adding files", () => {
  it("keeps each content once, makes candidates by name and a pair of dry and first other", async () => {
    const { comparison, passage, dry, a, renders } = await filled();
    expect(passage).toMatchObject({ dryRenderId: dry.id, hereRenderId: dry.id, yonderRenderId: a.id, loop: null });
    for (const render of renders) expect(renderSchema.parse(render)).toEqual(render);
    await addRenders(comparison.id, passage, [addition("a.wav", -20)]);
    expect(await database.audio.count()).toBe(3);
    expect(await database.candidates.count()).toBe(4);
    expect(await database.renders.count()).toBe(4);
  });

  it("gives a lone dry render its counterpart when one comes", async () => {
    const comparison = await createComparison("Lone");
    const id = await addRenders(comparison.id, { title: "Verse" }, [addition("dry.wav", -23, true)]);
    const lone = await database.passages.get(id);
    if (!lone) throw new Error("no passage");
    expect(lone.hereRenderId).toBe(lone.yonderRenderId);
    await addRenders(comparison.id, lone, [addition("a.wav", -20)]);
    const grown = await database.passages.get(id);
    expect(grown?.yonderRenderId).not.toBe(grown?.hereRenderId);
  });

  it("never puts two renders into one cell: the second comes numbered", async () => {
    const { comparison, passage } = await filled();
    await addRenders(comparison.id, passage, [addition("a.wav", -18)]);
    expect((await database.candidates.toArray()).map((c) => c.title)).toContain("a 2");
  });

  it("knows candidates in their full form, in the order they came", async () => {
    await filled();
    const candidates = await database.candidates.toArray();
    expect(candidateSchema.array().safeParse(candidates).success).toBe(true);
    expect(new Set(candidates.map((c) => c.position)).size).toBe(3);
  });
});

describe("the grid", () => {
  it("is put in another order, and candidates are changed", async () => {
    const { comparison } = await filled();
    const titles = async () =>
      (await database.candidates.where({ comparisonId: comparison.id }).sortBy("position")).map((c) => c.title);
    const before = await database.candidates.where({ comparisonId: comparison.id }).sortBy("position");
    await reorder("candidates", before.map((c) => c.id).reverse());
    expect(await titles()).toEqual(before.map((c) => c.title).reverse());
    await changeCandidate(before[0].id, { hidden: true, version: "1.2" });
    expect(await database.candidates.get(before[0].id)).toMatchObject({ hidden: true, version: "1.2" });
  });

  it("gives back exactly what was deleted, audio and pair too", async () => {
    const everything = async () =>
      JSON.stringify([
        await database.passages.toArray(),
        await database.candidates.orderBy("id").toArray(),
        (await database.renders.orderBy("id").toArray()).map((r) => [r.id, r.fileName]),
        (await database.audio.orderBy("hash").toArray()).map((x) => [x.hash, x.bytes.size]),
      ]);
    const { a } = await filled();
    const before = await everything();
    const removed = await removeRenders([a]);
    expect(await everything()).not.toBe(before);
    await putBack(removed);
    expect(await everything()).toBe(before);
    const all = await removeRenders(await database.renders.toArray());
    expect(await database.audio.count()).toBe(0);
    await putBack(all);
    expect(await everything()).toBe(before);
  });

  it("keeps the dry render as long as others are lined up with it", async () => {
    const { dry, a } = await filled();
    const removed = await removeRenders([dry, a]);
    expect(removed.renders.map((r) => r.id)).toEqual([a.id]);
    expect((await removeRenders([dry])).renders).toEqual([]);
  });
});

describe("names of exported files", () => {
  const form = { container: "WAV", encoding: "24-bit" } as const;
  const named = (passageTitle: string, candidateTitle: string, fileName: string) => ({
    passageTitle,
    candidateTitle,
    fileName,
  });

  it("are passage and candidate, never alike, never that of a source", () => {
    expect(
      exportNames(
        [named("Verse", "Bus A", "x.wav"), named("verse", "bus a", "y.wav"), named("Verse", "B", "verse-b.wav")],
        form,
      ),
    ).toEqual(["verse-bus-a.wav", "verse-bus-a-export-1.wav", "verse-b-export-1.wav"]);
    expect(exportNames([named("V", "A", "v-a.wav")], { ...form, container: "AIFF" })).toEqual(["v-a.aiff"]);
  });
});

describe("the pair", () => {
  it("is set side by side, and crosses over when one side is given the other's", async () => {
    const { passage, dry, a, b } = await filled();
    await setSide(passage, "yonder", b.id);
    expect(await database.passages.get(passage.id)).toMatchObject({ hereRenderId: dry.id, yonderRenderId: b.id });
    await setSide({ ...passage, yonderRenderId: b.id }, "here", b.id);
    expect(await database.passages.get(passage.id)).toMatchObject({ hereRenderId: b.id, yonderRenderId: dry.id });
    await crossOver({ ...passage, hereRenderId: a.id, yonderRenderId: b.id });
    expect(await database.passages.get(passage.id)).toMatchObject({ hereRenderId: b.id, yonderRenderId: a.id });
  });

  it("falls back to the dry render when one of it is removed; the last render takes the passage with it", async () => {
    const { passage, dry, a, b } = await filled();
    await removeRenders([a]);
    expect(await database.passages.get(passage.id)).toMatchObject({ yonderRenderId: dry.id });
    expect(await database.audio.count()).toBe(2);
    await removeRenders([b]);
    await removeRenders([dry]);
    expect(await database.passages.count()).toBe(0);
    expect(await database.candidates.count()).toBe(0);
  });

  it("is matched to the dry render, all down together when a peak would pass −1 dBTP", async () => {
    const { dry, renders, a, b } = await filled();
    const matched = (some: Render[]) => matchPassage(some.map(fileEntryOf), dry.id, DEFAULT_MATCH);
    const match = matched(renders);
    expect(match.method).toBe("integrated");
    expect(match.trimDb).toBe(0);
    expect(match.renders.get(a.id)?.gainDb).toBeCloseTo(-3, 2);
    expect(match.renders.get(b.id)).toMatchObject({
      gainDb: expect.closeTo(-11, 2),
      levelOffset: expect.closeTo(11, 2),
    });
    const peaky = { ...a, levels: { ...a.levels, truePeakDbtp: 8 } };
    const trimmed = matched([dry, peaky, b]);
    expect(trimmed.trimDb).toBeCloseTo(-6, 2);
    const gainOf = (r: Render) => trimmed.renders.get(r.id)?.gainDb ?? 0;
    expect(gainOf(b) - gainOf(dry)).toBeCloseTo(-11, 2);
  });
});

describe("what is kept", () => {
  it("computes a result once, and again when what was kept no longer parses", async () => {
    const compute = vi.fn(async () => 7);
    const both = await Promise.all([cached("k", z.number(), compute), cached("k", z.number(), compute)]);
    expect(both).toEqual([7, 7]);
    expect(await cached("k", z.number(), compute)).toBe(7);
    expect(compute).toHaveBeenCalledTimes(1);
    await database.analyses.put({ key: "k", value: "seven" });
    expect(await cached("k", z.number(), compute)).toBe(7);
    expect(compute).toHaveBeenCalledTimes(2);
  });

  it("gives a setting back only in its form", async () => {
    await writeSetting("monitor", { boostDb: 6 });
    expect(await readSetting("monitor", z.object({ boostDb: z.number() }))).toEqual({ boostDb: 6 });
    expect(await readSetting("monitor", z.string())).toBeNull();
    expect(await readSetting("nothing", z.string())).toBeNull();
  });
});

describe("kept results", () => {
  it("are handed out though the disk is full", async () => {
    const put = vi.spyOn(database.analyses, "put").mockRejectedValue(new DOMException("full", "QuotaExceededError"));
    expect(await cached("no room", z.number(), async () => 7)).toBe(7);
    put.mockRestore();
  });

  it("count arrays by their bytes and the rest as text", async () => {
    const schema = z.object({ name: z.string(), values: z.instanceof(Float32Array) });
    await cached("array", schema, async () => ({ name: "x", values: new Float32Array(1000) }));
    expect((await database.analyses.get("array"))?.byteCount).toBe(4000 + '{"name":"x","values":null}'.length);
  });

  it("go by when they were used last once they hold too much", async () => {
    await database.analyses.clear();
    const put = (key: string, usedAt: number) => database.analyses.put({ key, value: 0, byteCount: 400, usedAt });
    await Promise.all([put("old", 1), put("newest", 3), put("middle", 2)]);
    await keepWithin(database.analyses, 900);
    expect((await database.analyses.toArray()).map((a) => a.key).sort()).toEqual(["middle", "newest"]);
  });
});

describe("an archive", () => {
  it("holds its files by name, one after the other, as a plain unzip reads them", async () => {
    const order: string[] = [];
    async function* files() {
      for (const name of ["one.wav", "två.wav"]) {
        order.push(name);
        yield { name, input: new Blob([`sound of ${name}`]), lastModified: new Date(2026, 0, 2) };
      }
    }
    const zip = await zipped("renders.zip", files());
    const entries = unzipSync(new Uint8Array(await zip.arrayBuffer()));
    expect(Object.entries(entries).map(([name, bytes]) => [name, new TextDecoder().decode(bytes)])).toEqual([
      ["one.wav", "sound of one.wav"],
      ["två.wav", "sound of två.wav"],
    ]);
    expect(order).toEqual(["one.wav", "två.wav"]);
  });

  it("ends when it is called off, and when a file cannot be written", async () => {
    async function* endless() {
      for (;;) yield { name: "again.wav", input: new Blob([new Uint8Array(1000)]), lastModified: new Date() };
    }
    const called = new AbortController();
    const work = zipped("renders.zip", endless(), { signal: called.signal });
    called.abort();
    await expect(work).rejects.toThrow();
    async function* broken(): AsyncGenerator<ZipEntry> {
      yield { name: "one.wav", input: new Blob(["x"]), lastModified: new Date() };
      throw new Error("no room");
    }
    await expect(zipped("renders.zip", broken())).rejects.toThrow("no room");
  });
});
