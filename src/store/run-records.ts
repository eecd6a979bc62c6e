import { stampOf } from "@/core/blind/digest";
import { stampText } from "@/core/blind/pack";
import { checkRecord, faultOf, readRecord, recordOf } from "@/core/blind/record";
import { fileNameOf } from "@/core/findings/file-name";
import { fail, type Outcome, succeed } from "@/core/outcome";
import { database } from "./database";
import type { ExportedFile } from "./export-renders";
import type { Run } from "./records";
import { keepResult } from "./runs";

/** A run as a file, for whoever made the pack it answers or for oneself. */
export async function runFile({ id }: Pick<Run, "id">): Promise<ExportedFile> {
  // A run that was ended this very moment may not have its result yet.
  await keepResult(id);
  const run = await database.runs.get(id);
  if (!run) throw new Error("This run is no longer in this browser.");
  const manifest = run.packId ? (await database.guestPacks.get(run.packId))?.manifest : undefined;
  const stamp = manifest?.stampKey ? await stampOf(stampText(run), manifest.stampKey) : null;
  const text = JSON.stringify(await recordOf(run, stamp), null, 2);
  const who = run.listener?.code ? ` ${run.listener.code}` : "";
  return {
    name: fileNameOf(`${run.passageTitle}${who} ${run.plan.kind} run ${run.id.slice(0, 4)}`, "json"),
    blob: new Blob([text], { type: "application/json" }),
  };
}

const NO_RECORD = "Choose a file that was saved with “Save as a record”.";

/**
 * Adds the record of a finished run to a comparison. It is refused where anything speaks against it, and where it is already added. The passage it
 * belongs to is found again by what was heard.
 */
export async function importRecord(comparisonId: string, file: File): Promise<Outcome<Run>> {
  const read = readRecord(file.name, await file.text(), NO_RECORD);
  if (!read.ok) return read;
  const fault = faultOf(await checkRecord(read.value));
  if (fault) return fail(`${file.name} is refused. ${fault}`, "Ask for the saved file.");
  const { run } = read.value;
  if (!run.finishedAt || !run.opened)
    return fail(`${file.name} is of an unfinished run.`, "Finish it where it was started.");
  if (await database.runs.get(run.id)) return fail(`The run in ${file.name} is already added.`, "Nothing to do.");
  const heard = await database.renders
    .where("audioHash")
    .anyOf(run.stimuli.map((s) => s.audioHash))
    .toArray();
  const passageId = heard.find((render) => render.comparisonId === comparisonId)?.passageId ?? run.passageId;
  const kept: Run = { ...run, comparisonId, passageId };
  await database.runs.add(kept);
  return succeed(kept);
}
