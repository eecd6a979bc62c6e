import "fake-indexeddb/auto";
import { beforeEach, describe, expect, it } from "vitest";
import { benchChain } from "@/core/bench/bench";
import { SMALL_FORM } from "@/core/testing/bench";
import { deleteComparison, newId, now } from "./comparisons";
import { database } from "./database";
import { removeMeasurement } from "./measurements";
import { type Measurement, measurementSchema } from "./records";
import { filled } from "./testing";

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
