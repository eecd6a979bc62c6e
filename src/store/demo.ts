import { settingsOfChain, summaryOfChain } from "@/core/candidates/chain-settings";
import { FERRY_CANDIDATES, FERRY_PASSAGES, FERRY_TITLE } from "@/core/demo/ferry";
import { chainFamily } from "@/core/processors/chain";
import { DRY_TITLE } from "@/core/sorting/names";
import { type Rank, runJob } from "@/workers/jobs";
import type { MadeRender } from "@/workers/made-render";
import { createComparison } from "./comparisons";
import { database } from "./database";
import { addDemoRuns, MADE_UP_LISTENER } from "./demo-runs";
import { type Addition, addRenders } from "./import-files";
import type { Candidate, Run } from "./records";
import { deleteComparison } from "./whole";

/** Raise when the demo would come out differently: it is then made afresh at its next opening. */
const DEMO_VERSION = 4;
/** While it is being made; one left behind by a closed or reloaded tab is taken up where it stands. */
const IN_THE_MAKING = -DEMO_VERSION;

/** What the made-up runs are over: the first two in ABX, all in favourite rounds. */
const DEMO_RUN_TITLES = [DRY_TITLE, "Bus compressor", "Drive stage", "Look-ahead limiter"];

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

/** Whether a comparison is the demo before it is whole, so that a page opened on it goes on making it. */
export const isDemoInTheMaking = ({ demoVersion }: { demoVersion: number | null }): boolean =>
  demoVersion === IN_THE_MAKING;

async function findOrMakeDemo(): Promise<string> {
  const all = await database.comparisons.toArray();
  const kept = all.find((c) => c.demoVersion === DEMO_VERSION);
  if (kept) return kept.id;
  const half = all.find((c) => c.demoVersion === IN_THE_MAKING);
  for (const old of all.filter((c) => c.demoVersion !== null && c !== half)) await retire(old.id);
  const { id } = half ?? (await createComparison(FERRY_TITLE, IN_THE_MAKING));
  return new Promise((resolve, reject) => {
    const [first, ...others] = FERRY_PASSAGES;
    let shown = false;
    let behind: Promise<unknown> = Promise.resolve();
    const whenPairIsThere = () => {
      shown = true;
      resolve(id);
      behind = Promise.all(others.map((passage, i) => makePassage(id, passage, i + 1)));
      behind.catch(() => {});
    };
    makePassage(id, first, 0, whenPairIsThere)
      .then(() => behind)
      .then(() => addRunsOnce(id))
      .then(() => database.comparisons.update(id, { demoVersion: DEMO_VERSION }))
      .catch(async (error: unknown) => {
        // What someone is looking at stays as far as it came, and is taken up when the demo is opened again.
        opening = null;
        if (shown) return;
        await deleteComparison(id);
        opening = null;
        reject(error);
      });
  });
}

/** The made-up runs, once. What goes wrong with them is no reason to do without the demo. */
async function addRunsOnce(id: string): Promise<void> {
  const isMadeUp = (run: Run) => run.listener?.code === MADE_UP_LISTENER;
  if ((await database.runs.where({ comparisonId: id }).filter(isMadeUp).count()) > 0) return;
  const [first] = FERRY_PASSAGES;
  await addDemoRuns(id, first.title, DEMO_RUN_TITLES).catch(() => {});
}

/** A demo of an earlier recipe goes, unless someone has tested on it or written anything down: then it stays as a comparison like any other. */
async function retire(id: string): Promise<void> {
  const { runs, findings, notes, moments, sightedVerdicts } = database;
  const isOwn = (run: Run) => run.listener?.code !== MADE_UP_LISTENER;
  const own = await Promise.all([
    runs.where({ comparisonId: id }).filter(isOwn).count(),
    ...[findings, notes, moments, sightedVerdicts].map((table) => table.where({ comparisonId: id }).count()),
  ]);
  if (own.every((count) => count === 0)) {
    await deleteComparison(id);
    return;
  }
  await database.comparisons.update(id, { demoVersion: null, title: `${FERRY_TITLE}, earlier` });
}

/** The passage of the demo as far as it was made before, and the candidates it has. */
async function madeBefore(
  comparisonId: string,
  title: string,
): Promise<{ passageId: string | null; titles: string[] }> {
  const passage = (await database.passages.where({ comparisonId }).toArray()).find((p) => p.title === title);
  if (!passage) return { passageId: null, titles: [] };
  const renders = await database.renders.where({ passageId: passage.id }).toArray();
  const candidates = await database.candidates.bulkGet(renders.map((r) => r.candidateId));
  return { passageId: passage.id, titles: candidates.map((c) => c?.title ?? "") };
}

/**
 * Renders one passage in workers, a render a job, and keeps each as it comes. With `whenPairIsThere` its first two are made
 * ahead of everything, and only then the rest, which waits behind whatever a person asks for.
 */
async function makePassage(
  comparisonId: string,
  { key: passageKey, title }: (typeof FERRY_PASSAGES)[number],
  position: number,
  whenPairIsThere?: () => void,
): Promise<void> {
  const make = (candidateKey: string | null, rank: Rank) =>
    runJob("ferry", { passageKey, candidateKey }, { title: `Making the demo: ${title}`, rank });
  const before = await madeBefore(comparisonId, title);
  let { passageId } = before;
  const keep = async (candidateKey: string | null, made: Promise<MadeRender>) => {
    const addition = additionOf(passageKey, candidateKey, await made);
    const passage = passageId ? await database.passages.get(passageId) : { title, position };
    if (!passage) throw new Error("The demo was deleted while it was being made.");
    passageId = await addRenders(comparisonId, passage, [addition]);
  };
  const keys = [null, ...FERRY_CANDIDATES.map((c) => c.key)].filter((key) => !before.titles.includes(titleOf(key)));
  const inTurn = async (some: typeof keys, rank: Rank) => {
    const making = some.map((key) => ({ key, made: make(key, rank) }));
    // One that fails before its turn must not go unheard as an unhandled rejection.
    for (const { made } of making) made.catch(() => {});
    for (const { key, made } of making) await keep(key, made);
  };
  if (!whenPairIsThere) return inTurn(keys, "background");
  const wanting = Math.max(0, 2 - before.titles.length);
  await inTurn(keys.slice(0, wanting), "normal");
  whenPairIsThere();
  await inTurn(keys.slice(wanting), "background");
}

const titleOf = (candidateKey: string | null): string =>
  FERRY_CANDIDATES.find((c) => c.key === candidateKey)?.title ?? DRY_TITLE;

function aboutOf(candidateKey: string | null): Partial<Candidate> | undefined {
  const candidate = FERRY_CANDIDATES.find((c) => c.key === candidateKey);
  if (!candidate) return { summary: "unprocessed" };
  const { chain, version, notes } = candidate;
  const outboard = chain.some((stage) => stage.processorKey === "outboard-loop");
  const kind = outboard ? "outboard" : chainFamily(chain);
  return { kind, version, notes, chain, summary: summaryOfChain(chain), settings: settingsOfChain(chain) };
}

function additionOf(
  passageKey: string,
  candidateKey: string | null,
  { file, reading, signature, outline, levels }: MadeRender,
): Addition {
  return {
    file: new File([file], `${passageKey}_${candidateKey ?? "dry"}.wav`, { type: "audio/wav" }),
    reading,
    signature,
    outline,
    levels,
    candidateTitle: titleOf(candidateKey),
    about: aboutOf(candidateKey),
    dry: candidateKey === null,
  };
}
