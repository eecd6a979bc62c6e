import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it } from "vitest";
import { measurementSchema } from "@/core/archive/rows";
import { benchChain } from "@/core/bench/bench";
import { OWN_FORM } from "@/core/bench/signal/signal-plan";
import { SMALL_FORM } from "@/core/testing/bench";
import { changeCandidate, newId, now } from "./comparisons";
import { database } from "./database";
import { assignMeasurement, keptBench, measuredOf, removeMeasurement, setLoopBack } from "./measurements";
import type { Measurement } from "./records";
import { keepResult } from "./results";
import { filled } from "./testing";
import { deleteComparison } from "./whole";

beforeEach(async () => {
  await Promise.all(database.tables.map((table) => table.clear()));
});

const report = benchChain([{ processorKey: "gain", settings: {} }], SMALL_FORM);

describe("what was measured of something outside", () => {
  it("is kept with its comparison as it was told, and goes with it", async () => {
    const { comparison, a } = await filled();
    const measurement: Measurement = {
      id: newId(),
      comparisonId: comparison.id,
      candidateId: a.candidateId,
      title: "hall unit",
      fileName: "hall unit.wav",
      report,
      isReference: false,
      createdAt: now(),
    };
    await database.measurements.add(measurement);
    const [kept] = measurementSchema
      .array()
      .parse(await database.measurements.where({ candidateId: a.candidateId }).toArray());
    expect(kept).toEqual(measurement);

    const putBack = await removeMeasurement(measurement);
    expect(await database.measurements.count()).toBe(0);
    await putBack();
    expect(await database.measurements.get(measurement.id)).toEqual(measurement);

    await deleteComparison(comparison.id);
    expect(await database.measurements.count()).toBe(0);
  });
});

describe("what was measured of the candidates of a comparison", () => {
  it("is the latest recording of what came from outside, and of a chain what was looked at before", async () => {
    const { comparison, dry, a } = await filled();
    const recording = (fileName: string, createdAt: string, gainDbAt1k: number): Measurement => ({
      id: newId(),
      comparisonId: comparison.id,
      candidateId: a.candidateId,
      title: fileName,
      fileName,
      report: { ...report, gainDbAt1k },
      isReference: false,
      createdAt,
    });
    await database.measurements.bulkAdd([
      recording("second.wav", "2026-03-02T10:00:00.000Z", -2),
      recording("first.wav", "2026-03-01T10:00:00.000Z", -1),
    ]);
    const only = await measuredOf(comparison.id);
    expect(only.map(({ candidate, report: told }) => [candidate.id, told.gainDbAt1k])).toEqual([[a.candidateId, -2]]);

    const chain = [{ processorKey: "gain", settings: { gainDb: 3 } }];
    await changeCandidate(dry.candidateId, { chain });
    expect(await keptBench(chain)).toBeNull();
    await keepResult("bench", { chain, form: OWN_FORM }, { ...report, gainDbAt1k: 3 });
    expect((await keptBench(chain))?.gainDbAt1k).toBe(3);
    expect((await measuredOf(comparison.id)).map(({ report: told }) => told.gainDbAt1k).toSorted()).toEqual([-2, 3]);
    // A chain whose settings are others was not measured.
    expect(await keptBench([{ processorKey: "gain", settings: { gainDb: 4 } }])).toBeNull();
  });
});

describe("what a person says of a recording", () => {
  const added = async (comparisonId: string, title: string): Promise<Measurement> => {
    const measurement: Measurement = {
      id: newId(),
      comparisonId,
      candidateId: null,
      title,
      fileName: `${title}.wav`,
      report,
      isReference: false,
      createdAt: now(),
    };
    await database.measurements.add(measurement);
    return measurement;
  };
  const ofId = async (id: string) => {
    const kept = await database.measurements.get(id);
    if (!kept) throw new Error(id);
    return kept;
  };

  it("gives it to a candidate, and takes it back", async () => {
    const { comparison, a } = await filled();
    const back = await added(comparison.id, "back");
    const undo = await assignMeasurement(back, a.candidateId);
    expect((await ofId(back.id)).candidateId).toBe(a.candidateId);
    await undo();
    expect((await ofId(back.id)).candidateId).toBeNull();
  });

  it("makes one of them the loop-back, never two, leaves other comparisons alone, and takes it back", async () => {
    const { comparison } = await filled();
    const [one, two] = [await added(comparison.id, "one"), await added(comparison.id, "two")];
    const elsewhere = { ...(await added(newId(), "elsewhere")), isReference: true };
    await database.measurements.put(elsewhere);
    const marked = async () =>
      (await database.measurements.filter((m) => m.isReference).toArray()).map(({ title }) => title).toSorted();
    await setLoopBack(comparison.id, one.id);
    expect(await marked()).toEqual(["elsewhere", "one"]);
    const undo = await setLoopBack(comparison.id, two.id);
    expect(await marked()).toEqual(["elsewhere", "two"]);
    await undo();
    expect(await marked()).toEqual(["elsewhere", "one"]);
    const undoNone = await setLoopBack(comparison.id, null);
    expect(await marked()).toEqual(["elsewhere"]);
    await undoNone();
    expect(await marked()).toEqual(["elsewhere", "one"]);
  });
});
