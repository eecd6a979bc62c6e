import { FERRY_CANDIDATES, FERRY_PASSAGES, FERRY_TITLE } from "@/core/demo/ferry";
import { runJob } from "@/workers/jobs";
import type { FerryPart } from "@/workers/tasks";
import { createComparison, deleteComparison } from "./comparisons";
import { database } from "./database";
import { addRenders, type Placement } from "./import-files";

/** Raise when the demo would come out differently: it is then made afresh at its next opening. */
const DEMO_VERSION = 1;
const DRY_TITLE = "Dry";

let opening: Promise<string> | null = null;

/** The id of the demo comparison, made first where this browser does not have it. */
export function openDemo(signal?: AbortSignal): Promise<string> {
  opening ??= findOrMakeDemo(signal).finally(() => {
    opening = null;
  });
  return opening;
}

async function findOrMakeDemo(signal?: AbortSignal): Promise<string> {
  const all = await database.comparisons.toArray();
  const kept = all.find((c) => c.demoVersion === DEMO_VERSION);
  if (kept) return kept.id;
  const made = await Promise.all(FERRY_PASSAGES.map((p) => renderPassage(p.key, p.title, signal)));
  const comparison = await createComparison(FERRY_TITLE, DEMO_VERSION);
  for (const [i, placements] of made.entries()) {
    await addRenders(comparison.id, { title: FERRY_PASSAGES[i].title }, placements);
  }
  await describeCandidates(comparison.id);
  const [first] = await database.passages.where({ comparisonId: comparison.id }).sortBy("position");
  await database.comparisons.update(comparison.id, { passageId: first.id });
  return comparison.id;
}

async function renderPassage(passageKey: string, passageTitle: string, signal?: AbortSignal): Promise<Placement[]> {
  const parts: FerryPart[] = [];
  await runJob<"ferry">(
    { task: "ferry", passageKey },
    { title: `Making the demo: ${passageTitle}`, signal, onPart: (part) => parts.push(part) },
  );
  return parts.map(({ candidateKey, file, inspected }) => {
    const candidate = FERRY_CANDIDATES.find((c) => c.key === candidateKey);
    const name = `${passageKey}_${candidateKey ?? "dry"}.wav`;
    return {
      file: new File([file], name, { type: "audio/wav" }),
      inspected,
      candidateTitle: candidate?.title ?? DRY_TITLE,
      dry: candidateKey === null,
    };
  });
}

async function describeCandidates(comparisonId: string): Promise<void> {
  for (const { title, settings } of FERRY_CANDIDATES) {
    await database.candidates.where({ comparisonId }).and((c) => c.title === title).modify({ settings });
  }
}

/** Throws the demo away, whatever was done to it, and makes it anew. */
export async function remakeDemo(): Promise<string> {
  const demos = (await database.comparisons.toArray()).filter((c) => c.demoVersion !== null);
  for (const demo of demos) await deleteComparison(demo.id);
  return openDemo();
}
