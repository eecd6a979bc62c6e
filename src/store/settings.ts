import { z } from "zod";
import { database } from "./database";

const lastComparisonKey = "last-comparison";

/** The comparison that was open last; null on a first visit. */
export async function lastComparisonId(): Promise<string | null> {
  const kept = await database.settings.get(lastComparisonKey);
  const parsed = z.string().safeParse(kept?.value);
  return parsed.success && (await database.comparisons.get(parsed.data)) ? parsed.data : null;
}

export async function rememberComparison(comparisonId: string): Promise<void> {
  await database.settings.put({ key: lastComparisonKey, value: comparisonId });
}
