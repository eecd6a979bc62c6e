import type { FoundDynamics } from "@/core/bench/find/found-dynamics";
import type { FoundSettings, Wanted } from "@/core/bench/find/found-settings";
import type { BenchReport } from "@/core/bench/report";
import { OWN_FORM, type SignalForm } from "@/core/bench/signal/signal-plan";
import type { Chain } from "@/core/processors/chain";
import { newId, now } from "./comparisons";
import { database } from "./database";
import { coveredPart, fileRecipe, recipeNow } from "./line-up";
import type { Candidate, Measurement, Region, Render } from "./records";
import { type Asked, keptResult, resultOf, workOut } from "./results";

/** What a chain of built-in processors does to a test signal, worked out once. */
export const benchOf = (chain: Chain, form: SignalForm, asked: Omit<Asked, "title">): Promise<BenchReport> =>
  resultOf("bench", { chain, form }, { ...asked, title: "Measuring a processor" });

/** What was measured of a chain before, at the level processors of our own are measured at by default; null where it was not. */
export const keptBench = (chain: Chain): Promise<BenchReport | null> => keptResult("bench", { chain, form: OWN_FORM });

/** All that was measured of the candidates of a comparison: the latest recording of what came from outside, the chains that were looked at of the others. */
export async function measuredOf(comparisonId: string): Promise<{ candidate: Candidate; report: BenchReport }[]> {
  const [candidates, measurements] = await Promise.all([
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.measurements.where({ comparisonId }).sortBy("createdAt"),
  ]);
  const all = await Promise.all(
    candidates.map(async (candidate) => {
      const { id, chain } = candidate;
      const report = chain
        ? await keptBench(chain)
        : (measurements.findLast((m) => m.candidateId === id)?.report ?? null);
      return report ? [{ candidate, report }] : [];
    }),
  );
  return all.flat();
}

/** The settings of a processor whose curve comes closest to a measured one. */
export const settingsFor = (
  wanted: Wanted,
  processorKey: string,
  mostBands: number,
  asked: Omit<Asked, "title">,
): Promise<FoundSettings> =>
  resultOf("findSettings", { wanted, processorKey, mostBands }, { ...asked, title: "Finding settings" });

/** The settings of a compressor or limiter whose gain over time on a region of a passage comes closest to a render's. */
export async function dynamicsFor(
  render: Render,
  dry: Render,
  region: Region,
  processorKey: string,
  asked: Omit<Asked, "title">,
): Promise<FoundDynamics | null> {
  const judged = await coveredPart(render, dry, region);
  if (judged.endFrame <= judged.startFrame) return null;
  const request = { dry: fileRecipe(dry), wanted: await recipeNow(render, dry), region: judged, processorKey };
  return resultOf("findDynamics", request, { ...asked, title: "Finding settings" });
}

/** The file of a test signal. */
export const testSignalFile = (form: SignalForm, signal?: AbortSignal): Promise<Blob> =>
  workOut("testSignal", form, { title: "Writing the test signal", signal });

/** Measures a recording of a test signal and keeps what it tells; a failure in words otherwise. */
export async function addRecording(
  file: File,
  to: Pick<Measurement, "comparisonId" | "candidateId" | "title">,
  signal?: AbortSignal,
): Promise<{ ok: true; value: Measurement } | { ok: false; reason: string; advice: string }> {
  const answer = await workOut(
    "benchRecording",
    { name: file.name, file },
    { title: `Measuring ${file.name}`, rank: "urgent", signal },
  );
  if (!answer.ok) return answer;
  const measurement = {
    ...to,
    id: newId(),
    fileName: file.name,
    report: answer.value,
    isReference: false,
    createdAt: now(),
  };
  await database.measurements.add(measurement);
  return { ok: true, value: measurement };
}

/** Takes a measurement away; what it gives back puts it there again. */
export async function removeMeasurement(measurement: Measurement): Promise<() => Promise<void>> {
  await database.measurements.delete(measurement.id);
  return async () => {
    await database.measurements.put(measurement);
  };
}

/** Says which candidate a recording came from, null for none; what it gives back undoes that. */
export async function assignMeasurement(
  { id, candidateId: before }: Measurement,
  candidateId: string | null,
): Promise<() => Promise<void>> {
  await database.measurements.update(id, { candidateId });
  return async () => {
    await database.measurements.update(id, { candidateId: before });
  };
}

/** Makes a recording the loop-back of its comparison, or none of them; what it gives back undoes that. */
export async function setLoopBack(comparisonId: string, measurementId: string | null): Promise<() => Promise<void>> {
  return database.transaction("rw", database.measurements, async () => {
    const before = await database.measurements
      .where({ comparisonId })
      .filter((m) => m.isReference)
      .first();
    const mark = (wanted: string | null) =>
      database.measurements.where({ comparisonId }).modify((m) => {
        m.isReference = m.id === wanted;
      });
    await mark(measurementId);
    return async () => {
      await mark(before?.id ?? null);
    };
  });
}

/** A measurement with the loop-back's latency, response and noise taken off. */
export const referencedBench = (measurement: Measurement, loop: Measurement, asked: Omit<Asked, "title">) =>
  resultOf(
    "benchReferenced",
    { report: measurement.report, loop: { title: loop.title, report: loop.report } },
    { ...asked, title: "Removing the loop-back" },
  );
