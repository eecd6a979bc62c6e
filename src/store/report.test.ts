import "fake-indexeddb/auto";
import { unzipSync } from "fflate";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { IN_STEP } from "@/core/alignment/alignment";
import type { PackFigures } from "@/core/findings/pack-files";
import type { Report } from "@/core/findings/report";
import { REPORT_PARTS } from "@/core/findings/report";
import { type Recipe, recipeKey } from "@/core/recipes/recipe";
import { abxPlan, finishedRun, stimulus } from "@/core/testing/runs";
import { database } from "./database";
import { writeFinding } from "./findings";
import { filled, readTone } from "./testing";

/** What was asked of workers, and renders that cannot be put aligned. */
const asked: { name: string; sound: string }[] = [];
const lost = new Set<string>();

const answer = (name: string, request: Record<string, unknown>): unknown => {
  const sound = (request.sound ?? request.render) as Recipe;
  asked.push({ name, sound: sound ? recipeKey(sound) : "" });
  switch (name) {
    case "align":
      return lost.has(recipeKey(sound)) ? { found: false, reason: "other material", confidence: 0 } : IN_STEP;
    case "levels": {
      // The tone's own level, moved by the gain of the recipe.
      const gainDb = sound.of === "gain" ? sound.gainDb : 0;
      const peak = Number(/of (-?\d+)/.exec(recipeKey(sound))?.[1] ?? -20);
      return { ...readTone("", peak + gainDb).levels, channels: [] };
    }
    case "pair":
      return { nullDb: -31.5, identical: "no" };
    case "overMask":
      return {
        moments: [
          {
            startSeconds: 0.2,
            endSeconds: 0.4,
            lowHertz: 900,
            highHertz: 1100,
            probability: 0.9,
            criterion: "change",
            overMaskDb: 6,
          },
        ],
      };
    case "write":
      return new Blob([recipeKey(sound)]);
    default:
      return null;
  }
};
vi.mock("./results", async (original) => ({
  ...(await original<typeof import("./results")>()),
  resultOf: async (name: string, request: Record<string, unknown>) => answer(name, request),
  workOut: async (name: string, request: Record<string, unknown>) => answer(name, request),
  keptResult: async () => null,
}));
const { bookOf, heardPairs } = await import("./book");
const { blindNamesOf, makeReport, reportFile } = await import("./report");
const { writeRenderPack } = await import("./render-pack");

beforeEach(async () => {
  asked.length = 0;
  lost.clear();
  await Promise.all(database.tables.map((table) => table.clear()));
});

/** A comparison with a run between two of its renders and a verdict. */
async function heard() {
  const all = await filled();
  const { comparison, passage, a, b, dry } = all;
  const of = (render: typeof a, title: string) => ({
    ...stimulus(title),
    renderId: render.id,
    audioHash: render.audioHash,
  });
  const run = await finishedRun(abxPlan(5), [of(dry, "dry"), of(a, "a")], () => ({ side: "A" }), { random: () => 0.4 });
  await database.runs.add({ ...run, comparisonId: comparison.id, passageId: passage.id });
  const place = { comparisonId: comparison.id, passageId: passage.id, candidateId: b.candidateId };
  await writeFinding(place, { verdict: "first choice", good: "b is loud" });
  return all;
}

describe("the book of a comparison", () => {
  it("has what was written and heard, and figures where they are asked for", async () => {
    const { comparison, a } = await heard();
    const plain = await bookOf(comparison.id, { withFigures: false });
    expect(plain.discriminations).toHaveLength(1);
    expect(plain.cells.every((cell) => cell.nullDb === undefined)).toBe(true);
    expect(plain.pairs).toMatchObject([{ nullDb: -31.5, moment: { overMaskDb: 6 } }]);
    const whole = await bookOf(comparison.id, { withFigures: true });
    expect(whole.cells.find((cell) => cell.renderId === a.id)).toMatchObject({
      nullDb: -31.5,
      identical: "no",
      isDry: false,
      levelOffset: { value: expect.closeTo(3, 1), unit: "LU" },
    });
  });

  it("knows a pair that was heard by its content, where its render was added anew, and leaves out what is gone", async () => {
    const { comparison, a } = await heard();
    expect((await heardPairs(comparison.id)).map(({ yonder }) => yonder.id)).toEqual([a.id]);
    await database.renders.delete(a.id);
    expect(await heardPairs(comparison.id)).toEqual([]);
    await database.renders.add({ ...a, id: "anew" });
    expect((await heardPairs(comparison.id)).map(({ yonder }) => yonder.id)).toEqual(["anew"]);
  });
});

describe("a report as a file", () => {
  it("has the figures of every render, matched loudness measured again", async () => {
    const { comparison } = await heard();
    const { name, blob } = await reportFile(comparison.id, "JSON", { parts: REPORT_PARTS, isBlind: false });
    expect(name).toBe("test-findings.json");
    const report = JSON.parse(await blob.text()) as Report;
    expect(report.renders.map(({ candidate }) => candidate).sort()).toEqual(["a", "b", "dry"]);
    const dry = report.renders.find((r) => r.isDry);
    for (const { match } of report.renders) expect(match.matchedLufs).toBeCloseTo(dry?.match.matchedLufs ?? 0, 1);
    expect(report.verdicts.find((v) => v.candidate === "b")).toMatchObject({
      verdict: "first choice",
      good: "b is loud",
    });
    expect(report.versions).toHaveProperty("archive");
  });

  it("measures nothing that no part of it tells", async () => {
    const { comparison } = await heard();
    const { report } = await makeReport(comparison.id, { parts: ["sentences", "runs"], isBlind: false });
    expect(report.runs).toHaveLength(1);
    expect(asked.some(({ name }) => name === "spectra")).toBe(false);
  });
});

describe("blind names", () => {
  it("are drawn once, stay, leave the dry one its own, and go on with new candidates", async () => {
    const { comparison, dry, a, b } = await heard();
    const first = await blindNamesOf(comparison.id);
    expect([...first.values()].sort()).toEqual(["Candidate A", "Candidate B"]);
    expect(first.has(dry.candidateId)).toBe(false);
    expect(await blindNamesOf(comparison.id)).toEqual(first);
    const candidate = await database.candidates.get(a.candidateId);
    if (!candidate) throw new Error("no candidate");
    await database.candidates.add({ ...candidate, id: "later", title: "later" });
    const then = await blindNamesOf(comparison.id);
    expect(then.get("later")).toBe("Candidate C");
    expect(then.get(b.candidateId)).toBe(first.get(b.candidateId));
  });
});

describe("a render pack", () => {
  const order = {
    kinds: [] as ("delivered" | "residual")[],
    form: { container: "WAV", encoding: "24-bit" } as const,
    isBlind: false,
  };
  const read = async (blob: Blob) => {
    const files = unzipSync(new Uint8Array(await blob.arrayBuffer()));
    const text = (name: string) => new TextDecoder().decode(files[name]);
    return { names: Object.keys(files), text, figures: JSON.parse(text("figures.json")) as PackFigures[] };
  };

  it("writes chosen renders at the gain of the match, as they came, and what is left of them", async () => {
    const { comparison, dry, b } = await heard();
    const { pack, key } = await writeRenderPack({
      ...order,
      comparisonId: comparison.id,
      renderIds: [dry.id, b.id],
      kinds: ["delivered", "residual"],
    });
    const { names, text, figures } = await read(pack.blob);
    expect(pack.name).toBe("test-pack.zip");
    expect(key).toBeNull();
    expect(names).toEqual([
      "verse__b__matched.wav",
      "verse__b__delivered.wav",
      "verse__b__residual.wav",
      "verse__dry__matched.wav",
      "verse__dry__delivered.wav",
      "READ-ME.txt",
      "figures.csv",
      "figures.json",
    ]);
    // What is written is what was measured: 11 dB louder than the dry one, taken off.
    expect(figures[0].gainDb).toBeCloseTo(-11, 0);
    expect(text("verse__b__matched.wav")).toMatch(/^gain-1\d\.\d+\(hash of -12\)$/);
    expect(text("verse__b__delivered.wav")).toBe("hash of -12");
    expect(text("verse__b__residual.wav")).toMatch(/^difference\(/);
    expect(figures.filter((f) => f.kind === "matched").every((f) => f.frames === dry.frames)).toBe(true);
  });

  it("under blind names keeps the key apart, and nothing in it tells who is who", async () => {
    const { comparison, renders } = await heard();
    const { pack, key } = await writeRenderPack({
      ...order,
      comparisonId: comparison.id,
      renderIds: renders.map((r) => r.id),
      isBlind: true,
    });
    const { names, text } = await read(pack.blob);
    expect(names.slice(0, 3)).toEqual([
      "verse__candidate-a__matched.wav",
      "verse__candidate-b__matched.wav",
      "verse__dry__matched.wav",
    ]);
    for (const name of ["READ-ME.txt", "figures.csv", "figures.json"])
      expect(text(name)).not.toMatch(/\b[ab]\.wav|"candidate": "[ab]"/);
    const told = JSON.parse((await key?.blob.text()) ?? "{}") as { key: { name: string; candidate: string }[] };
    expect(told.key.map(({ candidate }) => candidate).sort()).toEqual(["a", "b"]);
  });

  it("leaves out what is not in step and says so, and is refused where nothing is left", async () => {
    const { comparison, a, b } = await heard();
    lost.add(b.audioHash);
    const { pack } = await writeRenderPack({ ...order, comparisonId: comparison.id, renderIds: [a.id, b.id] });
    const { names, text } = await read(pack.blob);
    expect(names).not.toContain("verse__b__matched.wav");
    expect(text("READ-ME.txt")).toContain("Verse, b");
    await expect(writeRenderPack({ ...order, comparisonId: comparison.id, renderIds: [b.id] })).rejects.toThrow(
      "nothing to write",
    );
  });
});
