import "fake-indexeddb/auto";
import { unzipSync, zipSync } from "fflate";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { abxPlan, finishedRun, stimulus } from "@/core/testing/runs";
import { readTone } from "./testing";

/** Reading a file: its text says which tone it stands for. */
vi.mock("@/workers/jobs", async (original) => ({
  ...(await original<typeof import("@/workers/jobs")>()),
  runJob: async (name: string, request: { file: Blob }) => {
    if (name !== "read") throw new Error(`asked for ${name}`);
    const peak = PEAKS[(await request.file.text()).trim()];
    const { reading } = readTone(`hash of ${peak ?? 0}`, peak ?? 0);
    return { ok: true, value: { ...reading, signature: { rateHz: 1, values: [] }, copy: null, outline: null } };
  },
}));
const { writeArchive } = await import("./archive-write");
const { openArchive, takeArchive } = await import("./archive-read");
const { keep } = await import("./cached");
const { database } = await import("./database");
const { pinMoment } = await import("./moments");
const { writeNote } = await import("./notes");
const { resultKey } = await import("./results");
const { beginRun, answerTrial } = await import("./runs");
const { filled } = await import("./testing");
const { deleteComparison, OWN_TABLES, wholeComparison } = await import("./whole");

const PEAKS: Record<string, number> = { "a.wav": -20, "dry.wav": -23, "b.wav": -12 };

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
});

/** A comparison with something in most tables, and its archive as a file. */
async function archived() {
  const { comparison, passage, dry, a } = await filled();
  await writeNote(comparison.id, null, "take the second");
  const said = { comparisonId: comparison.id, passageId: passage.id, renderId: a.id, frame: 4800 };
  await pinMoment({ ...said, words: ["harsh"], text: "on the bell" });
  const over = await finishedRun(abxPlan(5), [stimulus("Dry"), stimulus("Bus")], () => ({ side: "A" }), {
    random: () => 0.4,
  });
  await database.runs.add({ ...over, comparisonId: comparison.id });
  const open = await beginRun({
    comparisonId: comparison.id,
    passageId: passage.id,
    passageTitle: "Verse",
    dryRenderId: dry.id,
    stimuli: [stimulus("Dry"), stimulus("Bus")],
    reference: null,
    region: { startFrame: 0, endFrame: 48_000 },
    sampleRateHz: 48_000,
    plan: abxPlan(5),
    match: { over: "passage", method: "integrated", edgeLu: 1, remainingLu: 0 },
    overruled: [],
    listener: null,
    above: null,
    packId: null,
  });
  const key = resultKey("fit", {
    dry: { of: "file", hash: dry.audioHash },
    aligned: { of: "file", hash: a.audioHash },
  });
  await keep(key, 2.75);
  await keep(`spectrogram@1:${dry.audioHash}`, "a picture");
  const { name, blob } = await writeArchive(comparison.id);
  return { comparison, open, key, name, file: new File([blob], name) };
}

const take = async (file: File) => {
  const opened = await openArchive(file);
  if (!opened.ok) throw new Error(opened.reason);
  return takeArchive(opened.value);
};

describe("an archive", () => {
  it("makes the same comparison elsewhere: every row, audio bit for bit, figures that were worked out, and an open run that goes on", async () => {
    const { comparison, open, key, name, file } = await archived();
    expect(name).toBe("test-archive.zip");
    const before = await wholeComparison(comparison.id);
    await Promise.all(database.tables.map((table) => table.clear()));
    expect(await take(file)).toEqual({ ok: true, value: comparison.id });
    expect(await wholeComparison(comparison.id)).toEqual(before);
    expect(await (await database.audio.get("hash of -12"))?.bytes.text()).toBe("b.wav");
    expect((await database.analyses.get(key))?.value).toBe(2.75);
    expect(await database.analyses.where("key").startsWith("spectrogram").count()).toBe(0);
    await answerTrial(open.id, 0, { side: "A" }, 1);
    expect((await database.runs.get(open.id))?.trials).toHaveLength(1);
  });

  it("keeps the order of an open run out of its index", async () => {
    const { open, file } = await archived();
    const opened = await openArchive(file);
    if (!opened.ok) throw new Error(opened.reason);
    const { saltHex } = (await database.seals.get(open.id)) ?? {};
    expect(saltHex).toMatch(/^[0-9a-f]{32}$/);
    expect(JSON.stringify(opened.value.archive)).not.toContain(saltHex);
  });

  it("takes the place of the same comparison, and what only that used goes", async () => {
    const { comparison, file } = await archived();
    const passage = await database.passages.where({ comparisonId: comparison.id }).first();
    if (!passage) throw new Error("no passage");
    const later = { ...(await database.renders.toArray())[0], id: "later", audioHash: "later" };
    await database.audio.add({ hash: "later", bytes: new Blob(["later"]) });
    await database.renders.add(later);
    await take(file);
    expect(await database.renders.count()).toBe(3);
    expect(await database.audio.get("later")).toBeUndefined();
  });

  it("is refused in words and leaves nothing behind: other zips, changed audio, missing audio, changed runs", async () => {
    const { file } = await archived();
    const entries = unzipSync(new Uint8Array(await file.arrayBuffer()));
    await Promise.all(database.tables.map((table) => table.clear()));
    const zipOf = (change: Record<string, Uint8Array | undefined>) =>
      new File(
        [
          zipSync(
            Object.fromEntries(Object.entries({ ...entries, ...change }).flatMap(([n, b]) => (b ? [[n, b]] : []))),
          ).slice(),
        ],
        "changed.zip",
      );
    const text = (words: string) => new TextEncoder().encode(words);
    const audioName = Object.keys(entries).find((n) => n.endsWith("b.wav")) ?? "";
    expect(await openArchive(new File(["no zip"], "song.zip"))).toMatchObject({ ok: false });
    expect(await openArchive(zipOf({ "archive.json": undefined }))).toMatchObject({
      reason: "changed.zip is not a comparison archive: it has no archive.json.",
    });
    expect(await openArchive(zipOf({ [audioName]: undefined }))).toMatchObject({
      reason: expect.stringContaining(`${audioName} is missing`),
    });
    const index = new TextDecoder().decode(entries["archive.json"]);
    const forged = index.replace('"side":"A"', '"side":"B"');
    expect(forged).not.toBe(index);
    expect(await openArchive(zipOf({ "archive.json": text(forged) }))).toMatchObject({
      reason: expect.stringContaining("does not verify"),
    });
    // As long as the one that was archived, and another one.
    const swapped = await openArchive(zipOf({ [audioName]: text("a.wav") }));
    if (!swapped.ok) throw new Error(swapped.reason);
    expect(await takeArchive(swapped.value)).toMatchObject({
      reason: expect.stringContaining("differs from what was archived"),
    });
    for (const name of OWN_TABLES) expect(await database.table(name).count()).toBe(0);
    expect(await database.audio.count()).toBe(0);
  });

  it("is taken in where only its figures are damaged, and refused where its seals are", async () => {
    const { comparison, file } = await archived();
    const entries = unzipSync(new Uint8Array(await file.arrayBuffer()));
    const broken = (name: string) =>
      new File([zipSync({ ...entries, [name]: new TextEncoder().encode("{") }).slice()], "broken.zip");
    await deleteComparison(comparison.id);
    expect(await take(broken("seals.json"))).toMatchObject({
      ok: false,
      reason: expect.stringContaining("seals.json"),
    });
    expect(await database.comparisons.count()).toBe(0);
    expect(await database.audio.count()).toBe(0);
    expect(await take(broken("results.json"))).toMatchObject({ ok: true });
    expect(await database.renders.count()).toBe(3);
  });

  it("can be cancelled, and a run counts once", async () => {
    const { comparison, file } = await archived();
    const opened = await openArchive(file);
    if (!opened.ok) throw new Error(opened.reason);
    const called = new AbortController();
    called.abort();
    await expect(takeArchive(opened.value, called.signal)).rejects.toThrow("cancelled");
    const run = await database.runs.get("run-1");
    if (!run) throw new Error("no run");
    await deleteComparison(comparison.id);
    await database.runs.put({ ...run, comparisonId: "another" });
    expect(await openArchive(file)).toMatchObject({ ok: false, advice: expect.stringContaining("counts once") });
  });
});

describe("a comparison that was deleted", () => {
  it("comes back as it was, audio and open runs too", async () => {
    const { comparison } = await archived();
    const before = await wholeComparison(comparison.id);
    const putBack = await deleteComparison(comparison.id);
    expect(await database.audio.count()).toBe(0);
    await putBack();
    expect(await wholeComparison(comparison.id)).toEqual(before);
    expect(await database.audio.count()).toBe(3);
  });
});
