import { readFileSync } from "node:fs";
import * as fc from "fast-check";
import { unzipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { z } from "zod";
import { overviewOf } from "../audio/overview";
import { LEVELS_VERSION, measureLevels } from "../loudness/measure";
import { DEFAULT_MATCH } from "../matching/match-passage";
import { sine } from "../stimuli/signals";
import {
  ARCHIVE_SCHEMA,
  ARCHIVE_VERSION,
  type Archive,
  archivedRender,
  archiveSchema,
  audioEntryName,
  audioFaults,
  readArchive,
  renderFrom,
} from "./archive";
import type { Render } from "./rows";

const clip = sine({ hertz: 1000, peakDbfs: -6, seconds: 0.5, channels: 2 });
const overview = overviewOf(clip, 40);
const levels = measureLevels(clip);
const render = (id: string): Render => ({
  id,
  comparisonId: "c",
  passageId: "p",
  candidateId: `of ${id}`,
  audioHash: `hash of ${id}`,
  fileName: `${id}.wav`,
  sampleRateHz: 48_000,
  channelCount: 2,
  frames: 24_000,
  encoding: "24-bit",
  remarks: [],
  overview,
  hand: null,
  levels,
  levelsVersion: LEVELS_VERSION,
});
const AT = "2026-11-27T10:00:00.000Z";

function small(): Archive {
  const candidate = (id: string, position: number) => ({
    id: `of ${id}`,
    comparisonId: "c",
    title: id,
    kind: "other" as const,
    version: "",
    summary: "",
    notes: "",
    settings: [],
    chain: null,
    hidden: false,
    position,
    versionOf: null,
  });
  return {
    schema: ARCHIVE_SCHEMA,
    version: ARCHIVE_VERSION,
    writtenAt: AT,
    comparison: {
      id: "c",
      title: "Harbour",
      demoVersion: null,
      createdAt: AT,
      updatedAt: AT,
      passageId: "p",
      runsChains: false,
    },
    passages: [
      {
        id: "p",
        comparisonId: "c",
        title: "Chime",
        position: 0,
        dryRenderId: "dry",
        hereRenderId: "dry",
        yonderRenderId: "bus",
        loop: null,
        match: DEFAULT_MATCH,
      },
    ],
    candidates: [candidate("dry", 0), candidate("bus", 1)],
    renders: [render("dry"), render("bus")].map(archivedRender),
    runs: [],
    notes: [],
    moments: [],
    sightedVerdicts: [],
    measurements: [],
    packs: [],
    findings: [],
    audio: ["dry", "bus"].map((id) => ({ hash: `hash of ${id}`, entry: `audio/${id}.wav`, byteLength: 10 })),
  };
}

const read = (archive: unknown) => readArchive("harbour.zip", JSON.stringify(archive));

describe("the index of an archive", () => {
  it("is read as it was written, and waveforms come back to the last bit", () => {
    const archive = small();
    expect(read(archive)).toEqual({ ok: true, value: archive });
    fc.assert(
      fc.property(fc.float32Array({ noNaN: true, noDefaultInfinity: true, maxLength: 30 }), (lows) => {
        const given = { ...render("dry"), overview: { lows, highs: lows } };
        const back = renderFrom(JSON.parse(JSON.stringify(archivedRender(given))));
        // JSON has no minus nought; a waveform draws both alike.
        expect(back.overview.lows).toEqual(lows.map((v) => v + 0));
      }),
    );
  });

  it("is refused in words: no JSON, something else, a later version, a damaged row", () => {
    expect(readArchive("notes.zip", "hello")).toMatchObject({
      ok: false,
      reason: expect.stringContaining("notes.zip"),
    });
    expect(read({ schema: "yonder-pair/run@1" })).toMatchObject({
      ok: false,
      reason: "harbour.zip is not a comparison archive.",
    });
    expect(read({ ...small(), version: ARCHIVE_VERSION + 1 })).toMatchObject({
      ok: false,
      reason: expect.stringContaining("written by a later version"),
    });
    const { comparison } = small();
    expect(read({ ...small(), comparison: { ...comparison, title: 4 } })).toMatchObject({
      ok: false,
      reason: expect.stringContaining("comparison.title"),
    });
  });

  it.each<[string, (archive: Archive) => Partial<Archive>, string]>([
    ["a render that is gone", ({ renders }) => ({ renders: renders.slice(0, 1) }), "a render of the passage Chime"],
    ["a candidate that is gone", ({ candidates }) => ({ candidates: candidates.slice(1) }), "dry.wav has no place"],
    ["audio that is gone", ({ audio }) => ({ audio: audio.slice(1) }), "the audio of dry.wav"],
    [
      "a note of another comparison",
      () => ({ notes: [{ id: "n", comparisonId: "other", runId: null, text: "x", updatedAt: AT }] }),
      "belongs to another comparison",
    ],
  ])("is refused where it points to %s", (_, change, said) => {
    const archive = small();
    expect(read({ ...archive, ...change(archive) })).toMatchObject({
      ok: false,
      reason: expect.stringContaining(said),
    });
  });
});

describe("an archive that was written by an earlier version", () => {
  it.each(Array.from({ length: ARCHIVE_VERSION }, (_, i) => i + 1))("%d is read as one of today", (version) => {
    // Written by the app itself as it was then: scripts/archive-fixture.ts.
    const entries = unzipSync(readFileSync(`fixtures/archives/archive-${version}.zip`));
    const text = new TextDecoder().decode(entries["archive.json"]);
    expect(JSON.parse(text)).toMatchObject({ version });
    const archive = readArchive("earlier.zip", text);
    if (!archive.ok) throw new Error(archive.reason);
    expect(archive.value).toMatchObject({ version: ARCHIVE_VERSION, comparison: { title: "Harbour chime" } });
    expect(archive.value.renders).toHaveLength(3);
    expect(archive.value.runs[0]).toMatchObject({
      listener: { code: "L1" },
      result: { kind: "right or wrong", answered: 5 },
    });
    const lengths = new Map(Object.entries(entries).map(([name, bytes]) => [name, bytes.byteLength]));
    expect(audioFaults(archive.value.audio, lengths)).toEqual([]);
  });

  it("can be read by anyone: the schema in docs is the one in force (vitest -u writes it)", async () => {
    const published = z.toJSONSchema(archiveSchema, { unrepresentable: "throw" });
    await expect(`${JSON.stringify(published)}\n`).toMatchFileSnapshot("../../../docs/archive.schema.json");
  });
});

describe("the audio of an archive", () => {
  it("is missed where an entry is not there, or is of another length", () => {
    const lengths = new Map([["audio/dry.wav", 9]]);
    expect(audioFaults(small().audio, lengths)).toEqual([
      "audio/dry.wav has 9 bytes instead of 10.",
      "audio/bus.wav is missing.",
    ]);
  });

  it("goes by its content and its name, whatever that is", () => {
    expect(audioEntryName("0123456789ab", "Bus comp v2.final.WAV")).toBe("audio/01234567-bus-comp-v2-final.WAV");
    expect(audioEntryName("0123456789ab", "../../etc/passwd")).toBe("audio/01234567-untitled.etcpasswd");
    expect(audioEntryName("0123456789ab", "two")).toBe("audio/01234567-two.bin");
  });
});
