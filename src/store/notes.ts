import { newId, now } from "./comparisons";
import { database } from "./database";

/** The one note of a run (or, with null, of the comparison as a whole) becomes `text`; an empty text takes it away. */
export async function writeNote(comparisonId: string, runId: string | null, text: string): Promise<void> {
  await database.transaction("rw", database.notes, async () => {
    const existing = (await database.notes.where({ comparisonId }).toArray()).find((n) => n.runId === runId);
    if (!text.trim()) {
      if (existing) await database.notes.delete(existing.id);
    } else if (existing) {
      await database.notes.update(existing.id, { text, updatedAt: now() });
    } else {
      await database.notes.add({ id: newId(), comparisonId, runId, text, updatedAt: now() });
    }
  });
}
