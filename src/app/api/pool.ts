import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Tinypool } from "tinypool";
import type { UploadTasks } from "@/../cli/upload-worker";

/** One core is left to the pages. */
const THREADS = Math.max(1, availableParallelism() - 1);
/** Requests taken in at once, those that upload and wait among them. */
const MOST_AT_ONCE = THREADS + 8;
/** An idle thread is let go after this. */
const IDLE_MS = 30_000;
/** JavaScript memory of a thread; samples lie outside it, a few pieces at a time. */
const THREAD_MEMORY_MB = 512;

let pool: Tinypool | null = null;
let taken = 0;

const threads = (): Tinypool => {
  pool ??= new Tinypool({
    filename: join(process.cwd(), ".bundled/upload-worker.mjs"),
    minThreads: 0,
    maxThreads: THREADS,
    idleTimeout: IDLE_MS,
    resourceLimits: { maxOldGenerationSizeMb: THREAD_MEMORY_MB },
  });
  return pool;
};

/** Seconds after which it is worth asking again when all is taken (a minute of sound takes a second or two). */
export const RETRY_AFTER_SECONDS = 10;

/** A seat for one request, to be given back; null when all are taken. */
export function takeSeat(): (() => void) | null {
  if (taken >= MOST_AT_ONCE) return null;
  taken++;
  let isHeld = true;
  return () => {
    if (isHeld) taken--;
    isHeld = false;
  };
}

/** Has a task of the worker done in a thread; given up when the signal says that nobody waits any more. */
export const inThread = <Name extends keyof UploadTasks>(
  name: Name,
  work: Parameters<UploadTasks[Name]>[0],
  signal: AbortSignal,
): ReturnType<UploadTasks[Name]> => threads().run(work, { name, signal }) as ReturnType<UploadTasks[Name]>;
