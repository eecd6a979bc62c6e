import { database } from "./database";
import type { Audio, Candidate, Passage, Render } from "./records";
import { dropUnused } from "./whole";

/** Everything a removal took away or changed, enough to put it back as it was. */
export type Removed = {
  renders: Render[];
  candidates: Candidate[];
  /** Passages as they were before. */
  passages: Passage[];
  audio: Audio[];
};

const tables = () => [database.passages, database.renders, database.audio, database.candidates, database.copies];

/**
 * Takes renders out, and with them candidates and passages that are left empty and audio no render uses. The dry render of a
 * passage that keeps others stays: they are lined up with it. Where one side of a pair goes, the dry render takes its place.
 */
export function removeRenders(doomed: readonly Render[]): Promise<Removed> {
  return database.transaction("rw", tables(), async () => {
    const removed: Removed = { renders: [], candidates: [], passages: [], audio: [] };
    const ids = new Set(doomed.map((r) => r.id));
    for (const passageId of new Set(doomed.map((r) => r.passageId))) {
      const passage = await database.passages.get(passageId);
      if (!passage) continue;
      const own = await database.renders.where({ passageId }).toArray();
      const emptied = own.every((r) => ids.has(r.id));
      const going = own.filter((r) => ids.has(r.id) && (emptied || r.id !== passage.dryRenderId));
      if (going.length === 0) continue;
      removed.passages.push(passage);
      removed.renders.push(...going);
      await database.renders.bulkDelete(going.map((r) => r.id));
      const instead = (id: string) => (going.some((r) => r.id === id) ? passage.dryRenderId : id);
      if (emptied) await database.passages.delete(passageId);
      else {
        const { hereRenderId, yonderRenderId } = passage;
        await database.passages.update(passageId, {
          hereRenderId: instead(hereRenderId),
          yonderRenderId: instead(yonderRenderId),
        });
      }
    }
    for (const id of new Set(removed.renders.map((r) => r.candidateId))) {
      if ((await database.renders.where({ candidateId: id }).count()) > 0) continue;
      const candidate = await database.candidates.get(id);
      if (candidate) removed.candidates.push(candidate);
      await database.candidates.delete(id);
    }
    removed.audio = await dropUnused(removed.renders.map((r) => r.audioHash));
    return removed;
  });
}

/** Undoes a removal. What was added meanwhile stays. */
export async function putBack({ renders, candidates, passages, audio }: Removed): Promise<void> {
  await database.transaction("rw", tables(), async () => {
    await database.audio.bulkPut(audio);
    await database.candidates.bulkPut(candidates);
    await database.renders.bulkPut(renders);
    await database.passages.bulkPut(passages);
  });
}
