import { type Rank, runJob } from "@/workers/jobs";
import type { AudioRef, Placed } from "@/workers/tasks";
import { database } from "./database";
import { keepWithin } from "./keep-within";

/** Corrected renders are kept until they hold more than this; those longest unused go first. They can be made again at any time. */
const MOST_BYTES = 1_500_000_000;

const inFlight = new Map<string, Promise<AudioRef>>();

/** The render with its correction done, made once for each content and placement. The import is not touched. */
export async function correctedAudio(key: string, render: Placed, fileName: string, rank?: Rank): Promise<AudioRef> {
  const kept = await database.corrections.get(key);
  if (kept) {
    void database.corrections.update(key, { usedAt: Date.now() });
    return { hash: key, bytes: kept.bytes };
  }
  const running = inFlight.get(key);
  if (running) return running;
  const work = make(key, render, fileName, rank).finally(() => inFlight.delete(key));
  inFlight.set(key, work);
  return work;
}

async function make(key: string, render: Placed, fileName: string, rank?: Rank): Promise<AudioRef> {
  const bytes = await runJob<"correct">({ task: "correct", render }, { title: `Putting ${fileName} in step`, rank });
  try {
    await database.corrections.put({ key, bytes, byteCount: bytes.size, usedAt: Date.now() });
    await keepWithin(database.corrections, MOST_BYTES);
  } catch {
    // No room to keep it: it is made again when it is next needed.
  }
  return { hash: key, bytes };
}

/** Takes away what was made from audio that no render uses any more. */
export async function forgetCorrections(hashes: Iterable<string>): Promise<void> {
  const gone = [...hashes];
  const keys = await database.corrections.toCollection().primaryKeys();
  await database.corrections.bulkDelete(keys.filter((key) => gone.some((hash) => key.includes(hash))));
}
