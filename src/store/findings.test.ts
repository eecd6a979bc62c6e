import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { changeCandidate } from "./comparisons";
import { duplicateComparison, sameCandidates, searchedTexts } from "./copying";
import { database } from "./database";
import { writeFinding } from "./findings";
import { type LookedThrough, lookThrough, mayRead, passOver } from "./folder";
import type { Folder } from "./records";
import { addition, filled } from "./testing";

const processed = vi.hoisted(() => ({ titles: [] as string[] }));
vi.mock("./results", async (original) => ({
  ...(await original<typeof import("./results")>()),
  workOut: async (name: string, _: unknown, { title }: { title: string }) => {
    if (name !== "process") throw new Error(`asked for ${name}`);
    processed.titles.push(title);
    const { file, reading, levels } = addition(`made ${processed.titles.length}.wav`, -3 - processed.titles.length);
    return { file, reading, levels, signature: { rateHz: 1, values: [] }, outline: null };
  },
}));
const { runChainsOn } = await import("./run-chain");
const { addRenders } = await import("./import-files");

beforeEach(async () => {
  processed.titles.length = 0;
  await Promise.all(database.tables.map((table) => table.clear()));
});

describe("what a person writes of a candidate", () => {
  it("is kept once for each place, changed where it stands, and gone where it says nothing more", async () => {
    const { comparison, passage, a } = await filled();
    const where = { comparisonId: comparison.id, passageId: passage.id, candidateId: a.candidateId };
    await writeFinding(where, { verdict: "would do" });
    await writeFinding(where, { good: "holds the bells" });
    await writeFinding({ ...where, passageId: null }, { price: "89" });
    expect(await database.findings.orderBy("candidateId").toArray()).toHaveLength(2);
    const kept = (await database.findings.toArray()).find((f) => f.passageId === passage.id);
    expect(kept).toMatchObject({ verdict: "would do", good: "holds the bells", price: "" });
    await writeFinding(where, { verdict: null });
    await writeFinding(where, { good: "  " });
    expect(await database.findings.toArray()).toMatchObject([{ passageId: null, price: "89" }]);
  });
});

describe("a comparison once more", () => {
  it("shares its audio, and has another name each time", async () => {
    const { comparison } = await filled();
    const [one, two] = [await duplicateComparison(comparison.id), await duplicateComparison(comparison.id)];
    expect((await database.comparisons.bulkGet([one, two])).map((c) => c?.title)).toEqual([
      "Test, copy",
      "Test, copy 2",
    ]);
    expect(await database.renders.count()).toBe(9);
    expect(await database.audio.count()).toBe(3);
  });

  it("as a template waits for a song, and runs its own chains over it", async () => {
    const { comparison, a, b } = await filled();
    await changeCandidate(a.candidateId, { chain: [{ processorKey: "drive-stage", settings: { driveDb: 6 } }] });
    const id = await sameCandidates(comparison.id);
    expect(await database.comparisons.get(id)).toMatchObject({ runsChains: true, title: "Test, new passage" });
    expect((await database.candidates.where({ comparisonId: id }).sortBy("position")).map((c) => c.title)).toEqual([
      "a",
      "b",
    ]);
    const passageId = await addRenders(id, { title: "Chorus" }, [
      { ...addition("song.wav", -9, true), candidateTitle: "Dry" },
    ]);
    await runChainsOn(id, passageId);
    expect(processed.titles).toEqual(["a: Chorus"]);
    const renders = await database.renders.where({ passageId }).toArray();
    const candidates = await database.candidates.where({ comparisonId: id }).toArray();
    // It joined the column that waited for it, and the one from outside still waits.
    expect(candidates.map((c) => c.title).sort()).toEqual(["Dry", "a", "b"]);
    expect(renders).toHaveLength(2);
    await runChainsOn(id, passageId);
    expect(processed.titles).toHaveLength(1);
    expect(b.passageId).not.toBe(passageId);
  });

  it("is found by whatever stands in it", async () => {
    const { comparison, a } = await filled();
    await changeCandidate(a.candidateId, {
      settings: [{ parameter: "Attack", value: "10", unit: "ms", note: "fastest" }],
    });
    const texts = await searchedTexts();
    expect(texts.filter((t) => t.comparisonId === comparison.id).map((t) => t.what)).toEqual(
      expect.arrayContaining(["title", "passage", "candidate", "setting", "file"]),
    );
    expect(texts.find((t) => t.what === "setting")?.text).toContain("Attack 10 ms fastest");
  });
});

/** A folder of files by their paths, as a browser hands it over. */
function handleOf(files: Record<string, { text: string; lastModified: number }>): FileSystemDirectoryHandle {
  const entries = async function* (): AsyncGenerator<[string, FileSystemHandle]> {
    const folders = new Set<string>();
    for (const [path, { text, lastModified }] of Object.entries(files)) {
      const [first, ...rest] = path.split("/");
      if (rest.length === 0) {
        const getFile = async () => new File([text], first, { lastModified });
        yield [first, { kind: "file", name: first, getFile } as unknown as FileSystemHandle];
      } else if (!folders.has(first)) {
        folders.add(first);
        const inner = Object.entries(files).filter(([p]) => p.startsWith(`${first}/`));
        yield [first, handleOf(Object.fromEntries(inner.map(([p, f]) => [p.slice(first.length + 1), f])))];
      }
    }
  };
  return { kind: "directory", name: "Mixes", entries } as unknown as FileSystemDirectoryHandle;
}

describe("a connected folder", () => {
  const told = ({ appeared, changed, gone }: LookedThrough) =>
    [appeared, changed, gone].map((all) => all.map((f) => f.path));

  it("tells of audio that appears or changes in it, however deep, until it was taken or passed over", async () => {
    const files: Record<string, { text: string; lastModified: number }> = {
      "bus.wav": { text: "one", lastModified: 1 },
      "song/drive.flac": { text: "two", lastModified: 1 },
      "notes.txt": { text: "no audio", lastModified: 1 },
      ".hidden.wav": { text: "no", lastModified: 1 },
      "being-written.wav": { text: "", lastModified: 1 },
    };
    // Handles cannot be cloned here: the record is held, and the table only asked for what was seen.
    const folder: Folder = { comparisonId: "c", name: "Mixes", handle: handleOf(files), files: [] };
    expect(await mayRead(folder, false)).toBe(true);
    const first = await lookThrough(folder);
    expect(told(first)).toEqual([["bus.wav", "song/drive.flac"], [], []]);
    expect(await first.files.get("song/drive.flac")?.text()).toBe("two");
    await database.folders.put({ ...folder, handle: {} as FileSystemDirectoryHandle });
    await passOver("c", first.appeared, []);
    const seen = async () => ({ ...folder, files: (await database.folders.get("c"))?.files ?? [] });
    expect(told(await lookThrough(await seen()))).toEqual([[], [], []]);
    files["bus.wav"] = { text: "one, louder", lastModified: 2 };
    delete files["song/drive.flac"];
    const second = await lookThrough(await seen());
    expect(told(second)).toEqual([[], ["bus.wav"], ["song/drive.flac"]]);
    await passOver("c", second.changed, second.gone);
    expect(told(await lookThrough(await seen()))).toEqual([[], [], []]);
  });

  it("is refused where it is no folder of renders", async () => {
    const files = Object.fromEntries(
      Array.from({ length: 2001 }, (_, i) => [`${i}.wav`, { text: "x", lastModified: 1 }]),
    );
    const folder: Folder = { comparisonId: "c", name: "Disk", handle: handleOf(files), files: [] };
    await expect(lookThrough(folder)).rejects.toThrow("more than 2000");
  });
});
