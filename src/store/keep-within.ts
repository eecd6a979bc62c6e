import type { EntityTable } from "dexie";

type Kept = { key: string; byteCount?: number; usedAt?: number };

/** Lets go of what a table keeps, longest unused first, until the rest holds no more than this. All in it can be made again. */
export async function keepWithin<T extends Kept>(table: EntityTable<T, "key">, mostBytes: number): Promise<void> {
  const entries: Required<Kept>[] = [];
  // One at a time: a table's values may be far larger than memory.
  await table.each(({ key, byteCount = 0, usedAt = 0 }) => {
    entries.push({ key, byteCount, usedAt });
  });
  entries.sort((a, b) => b.usedAt - a.usedAt);
  let total = 0;
  const over = entries.filter(({ byteCount }) => {
    total += byteCount;
    return total > mostBytes;
  });
  await table.bulkDelete(over.map((e) => e.key) as Parameters<typeof table.bulkDelete>[0]);
}
