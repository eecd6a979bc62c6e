import { runJob } from "@/workers/jobs";
import type { Inspected } from "@/workers/tasks";
import { newId, now } from "./comparisons";
import { database } from "./database";
import type { Passage, Render } from "./records";

/** One file as a person decided to add it. */
export type Placement = {
  file: File;
  inspected: Inspected;
  candidateTitle: string;
  /** What the candidate was set to, where that is known. */
  settings?: string;
  dry: boolean;
};

export type InspectedFile =
  | { file: File; ok: true; inspected: Inspected }
  | { file: File; ok: false; reason: string; advice: string };

/** Reads and measures a file in a worker without keeping anything. */
export async function inspectFile(file: File, signal?: AbortSignal): Promise<InspectedFile> {
  const answer = await runJob<"inspect">(
    { task: "inspect", name: file.name, file },
    { title: `Reading ${file.name}`, signal },
  );
  return answer.ok
    ? { file, ok: true, inspected: answer.value }
    : { file, ok: false, reason: answer.reason, advice: answer.advice };
}

/** A file's name without its ending: what a candidate is called until someone says better. */
export const stemOf = (fileName: string): string => fileName.replace(/\.[a-z0-9]{1,4}$/i, "") || fileName;

/**
 * Adds files to a passage, or to a new one when `passage` is a title. All or nothing. Audio is kept once by content; a
 * candidate of the same title is used again. The pair of a new passage is its dry render and the first other one.
 */
export async function addRenders(
  comparisonId: string,
  passage: Passage | { title: string; position?: number },
  placements: readonly Placement[],
): Promise<string> {
  const { comparisons, passages, candidates, renders, audio } = database;
  return database.transaction("rw", [comparisons, passages, candidates, renders, audio], async () => {
    const passageId = "id" in passage ? passage.id : newId();
    const known = await candidates.where({ comparisonId }).toArray();
    const added: Render[] = [];
    let dryRenderId: string | null = null;
    for (const { file, inspected, candidateTitle, settings = "", dry } of placements) {
      let candidate = known.find((c) => c.title === candidateTitle);
      if (!candidate) {
        candidate = { id: newId(), comparisonId, title: candidateTitle, settings, position: known.length };
        known.push(candidate);
        await candidates.add(candidate);
      }
      if (!(await audio.get(inspected.hash))) await audio.add({ hash: inspected.hash, bytes: file });
      const { hash, ...rest } = inspected;
      const render: Render = {
        ...rest,
        id: newId(),
        comparisonId,
        passageId,
        candidateId: candidate.id,
        audioHash: hash,
        fileName: file.name,
      };
      added.push(render);
      if (dry) dryRenderId = render.id;
    }
    await renders.bulkAdd(added);
    if ("id" in passage) {
      await extendPassage(passageId, dryRenderId, added);
    } else {
      const dry = dryRenderId ?? added[0].id;
      await passages.add({
        id: passageId,
        comparisonId,
        title: passage.title,
        position: passage.position ?? (await passages.where({ comparisonId }).count()),
        dryRenderId: dry,
        hereRenderId: dry,
        yonderRenderId: added.find((r) => r.id !== dry)?.id ?? dry,
        loop: null,
      });
    }
    const comparison = await comparisons.get(comparisonId);
    await comparisons.update(comparisonId, { passageId: comparison?.passageId ?? passageId, updatedAt: now() });
    return passageId;
  });
}

/** Names a new dry render if one was said, and gives a passage that had nothing to compare its pair. */
async function extendPassage(passageId: string, dryRenderId: string | null, added: readonly Render[]): Promise<void> {
  const passage = await database.passages.get(passageId);
  if (!passage) throw new Error("This passage is no longer in the comparison.");
  const lone = passage.hereRenderId === passage.yonderRenderId;
  await database.passages.update(passageId, {
    ...(dryRenderId ? { dryRenderId, loop: null } : {}),
    ...(lone ? { yonderRenderId: added[0].id } : {}),
  });
}
