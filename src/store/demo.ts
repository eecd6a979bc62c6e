import { settingsOfChain, summaryOfChain } from "@/core/candidates/chain-settings";
import { FERRY_CANDIDATES, FERRY_PASSAGES, FERRY_TITLE } from "@/core/demo/ferry";
import { chainFamily } from "@/core/processors/chain";
import { DRY_TITLE } from "@/core/sorting/names";
import { type Rank, runJob } from "@/workers/jobs";
import type { MadeRender } from "@/workers/tasks";
import { createComparison, deleteComparison, showPassage } from "./comparisons";
import { database } from "./database";
import { addRenders, type Placement } from "./import-files";
import type { Candidate } from "./records";

/** Raise when the demo would come out differently: it is then made afresh at its next opening. */
const DEMO_VERSION = 2;
/** While it is being made; one left behind by a closed tab is made anew. */
const IN_THE_MAKING = 0;

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
    const [first, ...others] = FERRY_PASSAGES;
    const whenPairIsThere = async (passageId: string) => {
      await showPassage(id, passageId);
      resolve(id);
      return Promise.all(others.map((passage, i) => makePassage(id, passage, i + 1)));
    };
    makePassage(id, first, 0, whenPairIsThere)
      .then(() => database.comparisons.update(id, { demoVersion: DEMO_VERSION }))
      .catch(async (error: unknown) => {
        await deleteComparison(id);
        opening = null;
        reject(error);
      });
  });
}

/**
 * Renders one passage in workers, a render a job, and keeps each as it comes. With `whenPairIsThere` its first two are made
 * ahead of everything, and only then the rest, which waits behind whatever a person asks for.
 */
async function makePassage(
  comparisonId: string,
  { key: passageKey, title }: (typeof FERRY_PASSAGES)[number],
  position: number,
  whenPairIsThere?: (passageId: string) => Promise<unknown>,
): Promise<void> {
  const make = (candidateKey: string | null, rank: Rank) =>
    runJob<"ferry">({ task: "ferry", passageKey, candidateKey }, { title: `Making the demo: ${title}`, rank });
  let passageId: string | null = null;
  const keep = async (candidateKey: string | null, made: Promise<MadeRender>) => {
    const placement = placementOf(passageKey, candidateKey, await made);
    const passage = passageId ? await database.passages.get(passageId) : { title, position };
    if (!passage) throw new Error("The demo was deleted while it was being made.");
    passageId = await addRenders(comparisonId, passage, [placement]);
  };
  const keys = [null, ...FERRY_CANDIDATES.map((c) => c.key)];
  const inTurn = async (some: typeof keys, rank: Rank) => {
    const making = some.map((key) => ({ key, made: make(key, rank) }));
    // One that fails before its turn must not go unheard as an unhandled rejection.
    for (const { made } of making) made.catch(() => {});
    for (const { key, made } of making) await keep(key, made);
  };
  if (!whenPairIsThere) return inTurn(keys, "background");
  await inTurn(keys.slice(0, 2), "normal");
  const rest = inTurn(keys.slice(2), "background");
  await Promise.all([rest, whenPairIsThere(passageId ?? "")]);
}

function aboutOf(candidateKey: string | null): Partial<Candidate> | undefined {
  const candidate = FERRY_CANDIDATES.find((c) => c.key === candidateKey);
  if (!candidate) return { summary: "untouched" };
  const { chain, version, notes } = candidate;
  const outboard = chain.some((stage) => stage.processorKey === "outboard-loop");
  const kind = outboard ? "outboard" : chainFamily(chain);
  return { kind, version, notes, chain, summary: summaryOfChain(chain), settings: settingsOfChain(chain) };
}

function placementOf(passageKey: string, candidateKey: string | null, { file, inspected }: MadeRender): Placement {
  const candidate = FERRY_CANDIDATES.find((c) => c.key === candidateKey);
  return {
    file: new File([file], `${passageKey}_${candidateKey ?? "dry"}.wav`, { type: "audio/wav" }),
    inspected,
    candidateTitle: candidate?.title ?? DRY_TITLE,
    about: aboutOf(candidateKey),
    dry: candidateKey === null,
  };
}
