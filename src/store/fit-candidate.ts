import { fileNameOf } from "@/core/findings/file-name";
import type { AppliedStep, Found } from "@/core/ladder/found-chain";
import { STEP_TITLES } from "@/core/words/explain-steps";
import { database } from "./database";
import { appliedRecipe, type ExplainedPair } from "./explaining";
import { addRenders, readFile } from "./import-files";
import type { Region } from "./records";
import { workOut } from "./results";

/** Adds Here with the fit applied, up to a step, as a render of its own candidate; answers with the candidate's title. */
export async function addFitAsCandidate(
  pair: ExplainedPair,
  region: Region,
  found: Found,
  upTo: AppliedStep,
  titleOfHere: string,
): Promise<string> {
  const passage = await database.passages.get(pair.here.passageId);
  if (!passage) throw new Error("This passage is no longer in the comparison.");
  const title = `${titleOfHere}, fit applied to ${STEP_TITLES[upTo]}`;
  const sound = await appliedRecipe(pair, region, found, upTo);
  const form = { container: "WAV", encoding: "32-bit float" } as const;
  const name = fileNameOf(`${passage.title} ${title}`, "wav");
  const bytes = await workOut("write", { sound, form }, { title: `Writing ${name}` });
  const read = await readFile(new File([bytes], name, { type: "audio/wav" }));
  if (!read.ok) throw new Error(`${read.reason} ${read.advice}`);
  await addRenders(passage.comparisonId, passage, [
    { ...read, candidateTitle: title, dry: false, about: { kind: "chain", summary: "Here with the fit applied" } },
  ]);
  return title;
}
