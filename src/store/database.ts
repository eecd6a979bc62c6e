import Dexie, { type EntityTable } from "dexie";
import { measurementOfVersion2 } from "@/core/bench/earlier-reports";
import { DEFAULT_MATCH } from "@/core/matching/match-passage";
import { runOfVersion4, seatsOfVersion4 } from "./earlier-runs";
import type {
  Analysis,
  Audio,
  Candidate,
  Comparison,
  Copy,
  DeviceKey,
  Finding,
  Folder,
  GuestPack,
  Hearing,
  Measurement,
  Moment,
  Note,
  Pack,
  Passage,
  Render,
  Run,
  Seal,
  Setting,
  SightedVerdict,
} from "./records";

/** What a candidate is before anyone has said anything of it. */
export const UNTOLD_CANDIDATE = {
  kind: "other",
  version: "",
  summary: "",
  notes: "",
  settings: [],
  chain: null,
  hidden: false,
  versionOf: null,
} satisfies Partial<Candidate>;

/** Everything a person made or imported, in this browser. Raise the version with an upgrade when a table changes. */
class YonderDatabase extends Dexie {
  comparisons!: EntityTable<Comparison, "id">;
  passages!: EntityTable<Passage, "id">;
  candidates!: EntityTable<Candidate, "id">;
  renders!: EntityTable<Render, "id">;
  audio!: EntityTable<Audio, "hash">;
  runs!: EntityTable<Run, "id">;
  seals!: EntityTable<Seal, "runId">;
  notes!: EntityTable<Note, "id">;
  settings!: EntityTable<Setting, "key">;
  analyses!: EntityTable<Analysis, "key">;
  copies!: EntityTable<Copy, "key">;
  packs!: EntityTable<Pack, "id">;
  guestPacks!: EntityTable<GuestPack, "id">;
  hearings!: EntityTable<Hearing, "code">;
  moments!: EntityTable<Moment, "id">;
  sightedVerdicts!: EntityTable<SightedVerdict, "id">;
  measurements!: EntityTable<Measurement, "id">;
  findings!: EntityTable<Finding, "id">;
  folders!: EntityTable<Folder, "comparisonId">;
  deviceKeys!: EntityTable<DeviceKey, "id">;

  constructor() {
    super("yonder-pair");
    this.version(1).stores({
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
    this.version(2).upgrade((change) =>
      change
        .table("candidates")
        .toCollection()
        .modify((candidate: Candidate & { settings: unknown }) => {
          const summary = typeof candidate.settings === "string" ? candidate.settings : "";
          Object.assign(candidate, { ...UNTOLD_CANDIDATE, summary });
        }),
    );
    this.version(3)
      .stores({ corrections: "key, usedAt" })
      .upgrade(async (change) => {
        const comparisons: (Comparison & { matchOver?: "passage" | "loop" })[] = await change
          .table("comparisons")
          .toArray();
        const over = new Map(comparisons.map((c) => [c.id, c.matchOver ?? "passage"]));
        await change
          .table("passages")
          .toCollection()
          .modify((passage: Passage) => {
            passage.match = { ...DEFAULT_MATCH, over: over.get(passage.comparisonId) ?? "passage" };
          });
        await change
          .table("comparisons")
          .toCollection()
          .modify((comparison: { matchOver?: string }) => {
            delete comparison.matchOver;
          });
        await change.table("renders").toCollection().modify({ hand: null });
      });
    // What was made from imports is made anew, under keys that say how.
    this.version(4).stores({ corrections: null, copies: "key, usedAt" });
    this.version(5)
      .stores({
        moments: "id, comparisonId, passageId",
        sightedVerdicts: "id, comparisonId, passageId",
        packs: "id, comparisonId",
        guestPacks: "id",
        hearings: "code",
        runs: "id, comparisonId, passageId, packId",
      })
      .upgrade(async (change) => {
        await change
          .table("runs")
          .toCollection()
          .modify((run, ref) => {
            ref.value = runOfVersion4(run);
          });
        await change
          .table("seals")
          .toCollection()
          .modify((seal) => {
            seal.order = seal.order.map(seatsOfVersion4);
          });
      });
    this.version(6).stores({ measurements: "id, comparisonId, candidateId" });
    this.version(7)
      .stores({ findings: "id, comparisonId, candidateId", folders: "comparisonId" })
      .upgrade(async (change) => {
        await change.table("comparisons").toCollection().modify({ runsChains: false });
        await change.table("candidates").toCollection().modify({ versionOf: null });
      });
    this.version(8)
      .stores({})
      .upgrade(async (change) => {
        await change
          .table("measurements")
          .toCollection()
          .modify((row, ref) => {
            ref.value = measurementOfVersion2(row);
          });
      });
    this.version(9).stores({ deviceKeys: "id" });
  }
}

export const database = new YonderDatabase();

/** Bumped by hand whenever version() above is: reported in exports, so that a file says what it was made from. */
export const SCHEMA_VERSION = 9;
