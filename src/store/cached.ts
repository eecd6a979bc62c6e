import type { z } from "zod";
import { database } from "./database";

const inFlight = new Map<string, Promise<unknown>>();

/**
 * The result kept under `key`, or computed once and kept. Keys hold function, version, content hashes and parameters, so
 * a kept result is never stale. A kept result that no longer parses is computed again.
 */
export async function cached<T>(key: string, schema: z.ZodType<T>, compute: () => Promise<T>): Promise<T> {
  const kept = await database.analyses.get(key);
  const parsed = kept ? schema.safeParse(kept.value) : null;
  if (parsed?.success) return parsed.data;
  const running = inFlight.get(key) as Promise<T> | undefined;
  if (running) return running;
  const work = compute()
    .then(async (value) => {
      await database.analyses.put({ key, value });
      return value;
    })
    .finally(() => inFlight.delete(key));
  inFlight.set(key, work);
  return work;
}
