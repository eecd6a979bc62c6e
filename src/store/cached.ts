import type { z } from "zod";
import { JobCancelled } from "@/workers/jobs";
import { database } from "./database";
import { keepWithin } from "./keep-within";

/** Kept results are let go when they hold more than this, those longest unused first. They can be worked out again at any time. */
const MOST_BYTES = 100_000_000;
/** So often the kept ones are counted: every so many that come in. */
const COUNTED_EVERY = 200;
let sinceCounted = 0;

const inFlight = new Map<string, Promise<unknown>>();

/** A use within this of the last one noted is not noted again. */
const STALE_MS = 3_600_000;

/** About how much room a value takes: numbers in arrays by their bytes, the rest as text. */
function roomOf(value: unknown): number {
  let arrayBytes = 0;
  const text = JSON.stringify(value, (_, part) => {
    if (!ArrayBuffer.isView(part)) return part;
    arrayBytes += part.byteLength;
    return null;
  });
  return arrayBytes + (text?.length ?? 0);
}

/** Keeps a result if there is room. Where there is none it is handed out all the same: a full disk must not cost a figure. */
export async function keep(key: string, value: unknown): Promise<void> {
  try {
    await database.analyses.put({ key, value, byteCount: roomOf(value), usedAt: Date.now() });
    if (++sinceCounted % COUNTED_EVERY === 0) await keepWithin(database.analyses, MOST_BYTES);
  } catch {
    // Not kept: it is worked out again when it is next needed.
    await keepWithin(database.analyses, MOST_BYTES / 2).catch(() => {});
  }
}

/**
 * The result kept under `key`, or computed once and kept. Keys hold function, version, content hashes and parameters, so
 * a kept result is never stale. A kept result that no longer parses is computed again.
 */
export async function cached<T>(
  key: string,
  schema: z.ZodType<T>,
  compute: () => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  const kept = await database.analyses.get(key);
  const parsed = kept ? schema.safeParse(kept.value) : null;
  if (parsed?.success) {
    // When it was used last matters by the day, not by the second: a write at every look would be work for nothing.
    if (Date.now() - (kept?.usedAt ?? 0) > STALE_MS)
      void database.analyses.update(key, { usedAt: Date.now() }).catch(() => {});
    return parsed.data;
  }
  const running = inFlight.get(key) as Promise<T> | undefined;
  if (running) {
    return running.catch((error: unknown) => {
      // Whoever began it looks at it no more; whoever still does has it done anew.
      if (error instanceof JobCancelled && signal && !signal.aborted) return cached(key, schema, compute, signal);
      throw error;
    });
  }
  const work = compute()
    .then(async (value) => {
      await keep(key, value);
      return value;
    })
    .finally(() => inFlight.delete(key));
  inFlight.set(key, work);
  return work;
}
