import type { MatchSettings } from "@/core/matching/match-passage";
import { database } from "./database";
import type { Candidate, Comparison, Passage, Region } from "./records";

export const newId = (): string => crypto.randomUUID();
export const now = (): string => new Date().toISOString();

export async function createComparison(title: string, demoVersion: number | null = null): Promise<Comparison> {
  const comparison: Comparison = {
    id: newId(),
    title,
    demoVersion,
    createdAt: now(),
    updatedAt: now(),
    passageId: null,
    runsChains: false,
  };
  await database.comparisons.add(comparison);
  return comparison;
}

async function touch(comparisonId: string, change: Partial<Comparison> = {}): Promise<void> {
  await database.comparisons.update(comparisonId, { ...change, updatedAt: now() });
}

export const renameComparison = (id: string, title: string) => touch(id, { title });
export const showPassage = (id: string, passageId: string) => touch(id, { passageId });

/** Sets one side of the passage's pair. Setting it to what stands on the other side crosses the two over. */
export async function setSide(passage: Passage, side: "here" | "yonder", renderId: string): Promise<void> {
  const { hereRenderId, yonderRenderId } = passage;
  const taken = side === "here" ? yonderRenderId : hereRenderId;
  if (renderId === taken && hereRenderId !== yonderRenderId) {
    await crossOver(passage);
    return;
  }
  await database.passages.update(
    passage.id,
    side === "here" ? { hereRenderId: renderId } : { yonderRenderId: renderId },
  );
}

/** Sets both sides of the passage's pair. */
export async function setPair(passageId: string, hereRenderId: string, yonderRenderId: string): Promise<void> {
  await database.passages.update(passageId, { hereRenderId, yonderRenderId });
}

export async function crossOver(passage: Passage): Promise<void> {
  await database.passages.update(passage.id, {
    hereRenderId: passage.yonderRenderId,
    yonderRenderId: passage.hereRenderId,
  });
}

export async function setLoop(passageId: string, loop: Region | null): Promise<void> {
  await database.passages.update(passageId, { loop });
}

/** Where a switch may go back to; null for the loop's start. */
export async function setMark(passageId: string, markFrame: number | null): Promise<void> {
  await database.passages.update(passageId, { markFrame });
}

/** How the renders of a passage are brought to one level: what is in force in the database, so that changes quicker than the page is drawn add up. */
export async function setMatch(passageId: string, change: Partial<MatchSettings>): Promise<void> {
  await database.passages.where({ id: passageId }).modify((passage) => {
    passage.match = { ...passage.match, ...change };
  });
}

/** The same for every passage of the comparison. */
export async function setMatchEverywhere(comparisonId: string, match: MatchSettings): Promise<void> {
  await database.passages.where({ comparisonId }).modify({ match });
}

/** Names another render of the passage as the dry one. Everything measured against the old one is measured anew. */
export async function setDry(passage: Passage, renderId: string): Promise<void> {
  await database.passages.update(passage.id, { dryRenderId: renderId, loop: null });
}

export async function renamePassage(id: string, title: string): Promise<void> {
  await database.passages.update(id, { title });
}

export async function changeCandidate(
  id: string,
  change: Partial<Omit<Candidate, "id" | "comparisonId">>,
): Promise<void> {
  await database.candidates.update(id, change);
}

/** Gives passages or candidates the order of `ids`, from the first place on. */
export async function reorder(table: "passages" | "candidates", ids: readonly string[]): Promise<void> {
  await database.transaction("rw", database[table], async () => {
    await Promise.all(ids.map((id, position) => database.table(table).update(id, { position })));
  });
}
