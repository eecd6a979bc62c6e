import { settingsOfChain, summaryOfChain } from "@/core/candidates/chain-settings";
import { fileNameOf } from "@/core/findings/file-name";
import { type Chain, chainFamily } from "@/core/processors/chain";
import type { RequestOf } from "@/workers/registry";
import { database } from "./database";
import { type Addition, addRenders, freeIn } from "./import-files";
import { fileRecipe, recipeNow } from "./line-up";
import type { Passage } from "./records";
import { workOut } from "./results";

export type ChainOrder = {
  comparisonId: string;
  passages: readonly Passage[];
  /** Name of the candidate that comes of it; numbered where there is one of that name. */
  title: string;
  chain: Chain;
  keepLatency: boolean;
  /** The candidate whose render of each passage is the external key; null for each render's own level. */
  keyCandidateId: string | null;
  signal?: AbortSignal;
};

async function keyOf(passage: Passage, candidateId: string | null) {
  if (candidateId === null) return null;
  const own = await database.renders.where({ passageId: passage.id }).toArray();
  const key = own.find((r) => r.candidateId === candidateId);
  const dry = own.find((r) => r.id === passage.dryRenderId);
  if (!key || !dry) throw new Error(`${passage.title} has no render for the sidechain. Choose another.`);
  return recipeNow(key, dry);
}

/** "Bus", or "Bus 2" where there is a Bus already: a chain's renders never join those of another. */
async function freeTitle(comparisonId: string, title: string): Promise<string> {
  const known = await database.candidates.where({ comparisonId }).toArray();
  return freeIn(new Set(known.map((c) => c.title)), title);
}

/** Runs the dry render of every passage through a chain, in workers; each result is a render of one candidate. */
export async function runChainOver(order: ChainOrder): Promise<void> {
  const { comparisonId, passages, chain, keepLatency, keyCandidateId, signal } = order;
  const title = await freeTitle(comparisonId, order.title);
  const family = chainFamily(chain);
  const about = { kind: family, chain, settings: settingsOfChain(chain), summary: summaryOfChain(chain) };
  // All are made before any is kept: a run that is cancelled or fails leaves no half column behind.
  const made = await Promise.all(
    passages.map(async (passage) => {
      const dry = await database.renders.get(passage.dryRenderId);
      if (!dry) throw new Error(`The dry render of ${passage.title} is no longer in this browser.`);
      const key = await keyOf(passage, keyCandidateId);
      const addition = await addedThrough(passage, title, { source: fileRecipe(dry), chain, keepLatency, key }, signal);
      return { passage, addition };
    }),
  );
  for (const { passage, addition } of made) await addRenders(comparisonId, passage, [{ ...addition, about }]);
}

/** What came of a dry render that was run through a chain, as it is added to its passage. */
async function addedThrough(
  passage: Passage,
  title: string,
  request: RequestOf<"process">,
  signal?: AbortSignal,
): Promise<Addition> {
  const { file: bytes, ...known } = await workOut("process", request, { title: `${title}: ${passage.title}`, signal });
  const file = new File([bytes], fileNameOf(`${passage.title} ${title}`, "wav"), { type: "audio/wav" });
  return { ...known, file, candidateTitle: title, dry: false };
}

/** Runs a passage's dry render through every candidate of our own that has no render of it yet; each joins its column as it is made. */
export async function runChainsOn(comparisonId: string, passageId: string): Promise<void> {
  const [passage, candidates, renders] = await Promise.all([
    database.passages.get(passageId),
    database.candidates.where({ comparisonId }).sortBy("position"),
    database.renders.where({ passageId }).toArray(),
  ]);
  const dry = renders.find((r) => r.id === passage?.dryRenderId);
  if (!passage || !dry) throw new Error("This passage has no dry render to process.");
  const wanting = candidates.filter(({ id, chain }) => chain && !renders.some((r) => r.candidateId === id));
  await Promise.all(
    wanting.map(async ({ chain, title }) => {
      const request = { source: fileRecipe(dry), chain: chain ?? [], keepLatency: false, key: null };
      await addRenders(comparisonId, passage, [await addedThrough(passage, title, request)]);
    }),
  );
}
