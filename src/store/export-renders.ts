import { fileNameOf } from "@/core/findings/file-name";
import { endingOf, type FileForm } from "@/core/formats/file-form";
import { database } from "./database";
import { fileRecipe } from "./line-up";
import type { Render } from "./records";
import { workOut } from "./results";
import { zipped } from "./zip";

/** A file ready to be handed over. */
export type ExportedFile = { name: string; blob: Blob };

/**
 * Names of exported renders, passage and candidate: no two alike, and none the name of a file that was imported, so that
 * nothing is ever written over a source.
 */
export function exportNames(
  renders: readonly { passageTitle: string; candidateTitle: string; fileName: string }[],
  form: FileForm,
): string[] {
  const taken = new Set(renders.map((r) => r.fileName.toLowerCase()));
  return renders.map(({ passageTitle, candidateTitle }) => {
    const title = `${passageTitle} ${candidateTitle}`;
    for (let n = 1; ; n++) {
      const name = fileNameOf(n === 1 ? title : `${title} export ${n - 1}`, endingOf(form));
      if (taken.has(name.toLowerCase())) continue;
      taken.add(name.toLowerCase());
      return name;
    }
  });
}

/** Writes renders as delivered, in the form asked for: one as a file, several as a zip. */
export async function exportRenders(
  renders: readonly Render[],
  form: FileForm,
  archiveTitle: string,
  signal?: AbortSignal,
): Promise<ExportedFile> {
  const [passages, candidates] = await Promise.all([
    database.passages.bulkGet(renders.map((r) => r.passageId)),
    database.candidates.bulkGet(renders.map((r) => r.candidateId)),
  ]);
  const names = exportNames(
    renders.map((render, i) => ({
      passageTitle: passages[i]?.title ?? "",
      candidateTitle: candidates[i]?.title ?? "",
      fileName: render.fileName,
    })),
    form,
  );
  const [only] = renders;
  if (renders.length === 1) {
    const request = { sound: fileRecipe(only), form };
    return { name: names[0], blob: await workOut("write", request, { title: `Writing ${names[0]}`, signal }) };
  }
  /** One file after the other, so that no more than one of them is in memory. */
  async function* files() {
    for (const [i, render] of renders.entries()) {
      const title = `Writing ${names[i]}, ${i + 1} of ${renders.length}`;
      const input = await workOut("write", { sound: fileRecipe(render), form }, { title, signal });
      yield { name: names[i], input, lastModified: new Date() };
    }
  }
  const name = fileNameOf(`${archiveTitle} renders`, "zip");
  return { name, blob: await zipped(name, files(), { signal }) };
}
