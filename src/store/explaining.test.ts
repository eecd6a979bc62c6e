import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { IN_STEP } from "@/core/alignment/alignment";
import type { Found } from "@/core/ladder/found-chain";
import type { JobOptions } from "@/workers/jobs";
import { database } from "./database";
import {
  excitationOf,
  leftSpectraOf,
  pieceOf,
  readingOf,
  type Source,
  sourceRecipe,
  spectraOf,
  transientShapesOf,
} from "./explaining";
import { filled } from "./testing";

// The computing is stood in for, so that what is asked of it can be seen.

const runJob = vi.fn();
vi.mock("@/workers/jobs", () => ({
  JobCancelled: class extends Error {},
  runJob: (name: string, request: object, options: JobOptions) => runJob(name, request, options),
}));
const requests = (name: string) => runJob.mock.calls.filter((call) => call[0] === name).map((call) => call[1]);

const CELLS = {
  sampleRateHz: 48_000,
  startFrame: 0,
  cellFrames: 48,
  left: new Float32Array(1),
  right: null,
  product: null,
};
const late = { ...IN_STEP, delaySamples: 31, confidence: 0.9 };
const ANSWERS: Record<string, unknown> = {
  align: late,
  cells: CELLS,
  extremes: { lows: new Float32Array(1), highs: new Float32Array(1) },
  excitation: { bands: 1, levels: new Int16Array(1), noiseDb: new Float64Array(1) },
  transientShapes: { sampleRateHz: 48_000, cellSeconds: 1, leadCells: 1, cells: 1, frames: [], powers: [] },
  spectra: null,
};

beforeEach(async () => {
  await Promise.all(database.tables.map((t) => t.clear()));
  runJob.mockReset();
  runJob.mockImplementation(async (name: string) => ANSWERS[name] ?? new Blob(["samples"]));
});

async function pair() {
  const { dry, a, b } = await filled();
  return { dry, here: a, yonder: b };
}
const region = { startFrame: 0, endFrame: 48_000 };
const render = (own: Parameters<typeof readingOf>[2]["here"]): Source => ({ of: "render", render: own });

describe("what is read of a pair", () => {
  it("is read over what both cover, so that cells of both lie over each other", async () => {
    const explained = await pair();
    const both = await Promise.all(
      [explained.here, explained.yonder].map((side) => readingOf("cells", render(side), explained, region, {})),
    );
    expect(both).toEqual([CELLS, CELLS]);
    const asked = requests("cells");
    expect(asked.length).toBe(2);
    // 31 samples late: the end of the passage is not covered.
    for (const { region: own } of asked) expect(own).toEqual({ startFrame: 0, endFrame: 48_000 - 31 });
    // Kept by content: asked again, nothing is worked out.
    await readingOf("cells", render(explained.here), explained, region, {});
    expect(requests("cells").length).toBe(2);
  });

  it("is nothing where they have nothing in common", async () => {
    const explained = await pair();
    const beyond = { startFrame: 48_000 - 20, endFrame: 48_000 };
    expect(await readingOf("shape", render(explained.here), explained, beyond, {})).toBeNull();
    expect(await transientShapesOf([explained.here, explained.yonder], explained.dry, beyond, {})).toBeNull();
    expect(
      await spectraOf([explained.here], explained.dry, beyond, { points: 4096, view: "both", asking: {} }),
    ).toBeNull();
    expect(requests("shape")).toEqual([]);
  });
});

describe("a source", () => {
  it("is a render in step, or Yonder less Here at the gain between them", async () => {
    const explained = await pair();
    const here = await sourceRecipe(render(explained.here), explained);
    expect(here).toMatchObject({ of: "step", placement: { delaySamples: 31 } });
    expect(await sourceRecipe({ of: "difference", gainDb: 0 }, explained)).toMatchObject({ of: "difference", here });
    expect(await sourceRecipe({ of: "difference", gainDb: -2.71 }, explained)).toMatchObject({
      of: "difference",
      here: { of: "gain", gainDb: -2.71, source: here },
    });
  });

  it("is what a step leaves: Yonder less Here wearing what was found", async () => {
    const explained = await pair();
    const found: Found = {
      domain: "left-right",
      movedSide: { side: "right", samples: 0 },
      stages: [{ kind: "filter", filter: { responses: [[Float64Array.of(1)]], lead: 0 }, inverse: null }],
      gains: { level: 1, tone: 1, levelOverTime: 1 },
    };
    const left: Source = { of: "left", region, found, upTo: "tone" };
    expect(await sourceRecipe(left, explained)).toMatchObject({
      of: "difference",
      here: { of: "worn", upTo: "tone", startFrame: 0, endFrame: 48_000 - 31 },
    });
    await leftSpectraOf(left, explained, region, { points: 8192, view: "both", asking: {} });
    expect(requests("spectra")[0]).toMatchObject({ points: 8192, third: null, region: { endFrame: 48_000 - 31 } });
  });
});

describe("pieces and excitations", () => {
  it("are asked for by their place alone, at the gain of the match", async () => {
    const explained = await pair();
    await pieceOf(
      "extremes",
      render(explained.yonder),
      explained,
      { view: "mid", startFrame: 0, columnFrames: 4, columns: 1 },
      {},
    );
    expect(requests("extremes")[0]).toMatchObject({ view: "mid", columnFrames: 4 });
    await excitationOf(explained.here, explained.dry, region, -1.234_56, {});
    expect(requests("excitation")[0]).toMatchObject({ gainDb: -1.23, region });
  });
});
