import { FERRY_CANDIDATES, FERRY_PASSAGES, FERRY_TITLE } from "@/core/demo/ferry";
import { runJob } from "@/workers/jobs";
import type { FerryPart } from "@/workers/tasks";
import { createComparison, deleteComparison, showPassage } from "./comparisons";
import { database } from "./database";
import { addRenders, type Placement } from "./import-files";
import type { Passage } from "./records";

/** Raise when the demo would come out differently: it is then made afresh at its next opening. */
const DEMO_VERSION = 1;
/** While it is being made; one left behind by a closed tab is made anew. */
const IN_THE_MAKING = 0;
const DRY_TITLE = "Dry";

let opening: Promise<string> | null = null;

/**
 * The id of the demo comparison, made first where this browser does not have it. Resolves as soon as there is a pair to
 * listen to; the other renders come in behind it.
 */
export function openDemo(): Promise<string> {
  opening ??= findOrMakeDemo().catch((error: unknown) => {
    opening = null;
    throw error;
  });
  return opening.then(async (id) => {
    if (await database.comparisons.get(id)) return id;
    // It was deleted since.
    opening = null;
    return openDemo();
  });
}

async function findOrMakeDemo(): Promise<string> {
  const all = await database.comparisons.toArray();
  const kept = all.find((c) => c.demoVersion === DEMO_VERSION);
  if (kept) return kept.id;
  for (const old of all.filter((c) => c.demoVersion !== null)) await deleteComparison(old.id);
  const { id } = await createComparison(FERRY_TITLE, IN_THE_MAKING);
  return new Promise((resolve, reject) => {
    const passages = FERRY_PASSAGES.map(({ key, title }, position) =>
      makePassage(id, key, { title, position }, async (passageId) => {
        if (position > 0) return;
        await showPassage(id, passageId);
        resolve(id);
      }),
    );
    Promise.all(passages)
      .then(() => database.comparisons.update(id, { demoVersion: DEMO_VERSION }))
      .catch(async (error: unknown) => {
        await deleteComparison(id);
        opening = null;
        reject(error);
      });
  });
}

/** Renders one passage in a worker and keeps each render as it comes. `onPair` is called once two are there. */
async function makePassage(
  comparisonId: string,
  passageKey: string,
  newPassage: { title: string; position: number },
  onPair: (passageId: string) => Promise<void>,
): Promise<void> {
  let kept: Promise<string | null> = Promise.resolve(null);
  let count = 0;
  const keep = (part: FerryPart) => {
    kept = kept.then(async (passageId) => {
      const passage: Passage | undefined = passageId ? await database.passages.get(passageId) : undefined;
      const id = await addRenders(comparisonId, passage ?? newPassage, [placementOf(passageKey, part)]);
      count++;
      if (count === 2) await onPair(id);
      return id;
    });
  };
  await runJob<"ferry">({ task: "ferry", passageKey }, { title: `Making the demo: ${newPassage.title}`, onPart: keep });
  await kept;
}

function placementOf(passageKey: string, { candidateKey, file, inspected }: FerryPart): Placement {
  const candidate = FERRY_CANDIDATES.find((c) => c.key === candidateKey);
  return {
    file: new File([file], `${passageKey}_${candidateKey ?? "dry"}.wav`, { type: "audio/wav" }),
    inspected,
    candidateTitle: candidate?.title ?? DRY_TITLE,
    settings: candidate?.settings,
    dry: candidateKey === null,
  };
}
