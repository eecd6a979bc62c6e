import type { EntityTable } from "dexie";
import { forgetCopies } from "./copies";
import { database } from "./database";
import type { Audio, Comparison, Seal } from "./records";

/** The tables whose rows belong to a comparison. */
export const OWN_TABLES = [
  "passages",
  "candidates",
  "renders",
  "runs",
  "notes",
  "moments",
  "sightedVerdicts",
  "measurements",
  "packs",
  "findings",
] as const;
type OwnTable = (typeof OWN_TABLES)[number];
type RowOf<Name extends OwnTable> = (typeof database)[Name] extends EntityTable<infer Row, infer _> ? Row : never;

/** A comparison with every row that belongs to it. */
export type Whole = { comparison: Comparison; seals: Seal[] } & { [Name in OwnTable]: RowOf<Name>[] };

const tables = () => [
  database.comparisons,
  database.seals,
  database.audio,
  database.copies,
  database.folders,
  ...OWN_TABLES.map((n) => database.table(n)),
];

/** All of a comparison but its audio; an error in words where it is gone. */
export function wholeComparison(comparisonId: string): Promise<Whole> {
  return database.transaction("r", tables(), async () => {
    const comparison = await database.comparisons.get(comparisonId);
    if (!comparison) throw new Error("This comparison is no longer in this browser.");
    const rows = await Promise.all(OWN_TABLES.map((name) => database.table(name).where({ comparisonId }).toArray()));
    const own = Object.fromEntries(OWN_TABLES.map((name, i) => [name, rows[i]])) as Pick<Whole, OwnTable>;
    const seals = await database.seals.bulkGet(own.runs.map(({ id }) => id));
    return { comparison, seals: seals.filter((seal) => seal !== undefined), ...own };
  });
}

/** Adds a comparison with all that belongs to it; its audio is there already, or comes along. All or nothing. */
export function addWhole({ comparison, seals, ...own }: Whole, audio: readonly Audio[] = []): Promise<void> {
  return database.transaction("rw", tables(), async () => {
    await database.comparisons.add(comparison);
    await database.audio.bulkPut([...audio]);
    await database.seals.bulkAdd(seals);
    for (const name of OWN_TABLES) await database.table(name).bulkAdd(own[name]);
  });
}

/** Puts a comparison in the place of the one of its id, if there is one; what only that used goes. All or nothing. */
export function putInPlace(whole: Whole): Promise<void> {
  return database.transaction("rw", tables(), async () => {
    const known = await database.comparisons.get(whole.comparison.id);
    const before = known ? await takeRowsAway(known.id) : null;
    await addWhole(whole);
    await dropUnused(before?.renders.map((r) => r.audioHash) ?? []);
  });
}

/** Takes all rows of a comparison away, and gives them back; within a transaction. */
async function takeRowsAway(id: string): Promise<Whole> {
  const whole = await wholeComparison(id);
  await database.seals.bulkDelete(whole.runs.map((run) => run.id));
  for (const name of OWN_TABLES) await database.table(name).where({ comparisonId: id }).delete();
  await database.comparisons.delete(id);
  return whole;
}

/** Takes audio away that no render uses, and copies made of it; within a transaction or by itself. What was taken. */
export async function dropUnused(hashes: Iterable<string>): Promise<Audio[]> {
  const dropped: Audio[] = [];
  for (const hash of new Set(hashes)) {
    if ((await database.renders.where({ audioHash: hash }).count()) > 0) continue;
    const audio = await database.audio.get(hash);
    if (audio) dropped.push(audio);
    await database.audio.delete(hash);
  }
  await forgetCopies(dropped.map(({ hash }) => hash));
  return dropped;
}

/** Deletes a comparison and what belongs to it; audio that another comparison uses stays. What it gives back puts it there again. */
export async function deleteComparison(id: string): Promise<() => Promise<void>> {
  const removed = await database.transaction("rw", tables(), async () => {
    const whole = await takeRowsAway(id);
    const folder = await database.folders.get(id);
    await database.folders.delete(id);
    return { whole, folder, audio: await dropUnused(whole.renders.map((r) => r.audioHash)) };
  });
  return async () => {
    await addWhole(removed.whole, removed.audio);
    if (removed.folder) await database.folders.put(removed.folder);
  };
}
