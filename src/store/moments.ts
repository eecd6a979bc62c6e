import { newId, now } from "./comparisons";
import { database } from "./database";
import { learnDescriptors } from "./descriptors";
import type { Moment, Run, SightedVerdict } from "./records";

/** Pins a note to a moment; its words join the person's own. */
export async function pinMoment(moment: Omit<Moment, "id" | "createdAt">): Promise<void> {
  await database.moments.add({ ...moment, id: newId(), createdAt: now() });
  await learnDescriptors(moment.words);
}

export const removeMoment = (id: string): Promise<void> => database.moments.delete(id);

/** Notes of a passage in the order they are heard. */
export async function momentsOf(passageId: string): Promise<Moment[]> {
  const all = await database.moments.where({ passageId }).toArray();
  return all.sort((a, b) => a.frame - b.frame || a.createdAt.localeCompare(b.createdAt));
}

/** Keeps a verdict given with open eyes, beside those given before. */
export async function keepSightedVerdict(verdict: Omit<SightedVerdict, "id" | "createdAt">): Promise<void> {
  await database.sightedVerdicts.add({ ...verdict, id: newId(), createdAt: now() });
}

/** The last sighted verdict on a run's passage before it was begun, with the title of what was preferred; null where there is none. */
export async function sightedBefore({
  passageId,
  createdAt,
}: Pick<Run, "passageId" | "createdAt">): Promise<{ verdict: SightedVerdict; title: string | null } | null> {
  const verdict = (await sightedVerdictsOf(passageId)).find((v) => v.createdAt <= createdAt);
  if (!verdict) return null;
  const render = verdict.renderId ? await database.renders.get(verdict.renderId) : undefined;
  const candidate = render && (await database.candidates.get(render.candidateId));
  return { verdict, title: verdict.renderId ? (candidate?.title ?? "a deleted render") : null };
}

/** Sighted verdicts on a passage, latest first. */
export async function sightedVerdictsOf(passageId: string): Promise<SightedVerdict[]> {
  return database.sightedVerdicts.where({ passageId }).reverse().sortBy("createdAt");
}
