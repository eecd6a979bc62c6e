import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it } from "vitest";
import { measurementSchema } from "@/core/archive/rows";
import { benchChain } from "@/core/bench/bench";
import { OWN_FORM } from "@/core/bench/signal/signal-plan";
import { SMALL_FORM } from "@/core/testing/bench";
import { changeCandidate, newId, now } from "./comparisons";
import { database } from "./database";
import { keptBench, measuredOf, removeMeasurement } from "./measurements";
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
