import { type Remote, wrap } from "comlink";
import type { FrameRange } from "@/core/audio/sound";
import type { Recipe } from "@/core/recipes/recipe";
import type { FeedWorkerApi } from "@/workers/feed/feed.worker";
import { PIECE_FRAMES } from "@/workers/feed/feeder";
import { makeTape, type TapeMemory } from "@/workers/feed/tape";
import type { KeptFile } from "@/workers/task";

/** What can be heard: a render aligned, or a hidden X. No two on a tape have one key. */
export type Voice = { key: string; recipe: Recipe; files: readonly KeptFile[]; channelCount: number };

/** Sound held ahead of the ear, for all that may keep a worker from its work. */
const AHEAD_SECONDS = 1.5;

/** The worker that reads voices from storage, and the memory it writes them to. */
export type Feed = {
  memory: TapeMemory;
  /** Resolves when a deck may start at a frame; the voices in `first` are there first. */
  cue(deck: number, startFrame: number, loop: FrameRange | null, first: readonly number[]): Promise<void>;
  close(): void;
};

/** Why nothing can be played here; null where it can. */
export const feedProblem = (): string | null =>
  typeof SharedArrayBuffer === "undefined"
    ? "This page was not served with the headers that playback needs (Cross-Origin-Opener-Policy, Cross-Origin-Embedder-Policy). Start the program with `npm run demo` and open the address it names."
    : null;

const startWorker = () => new Worker(new URL("../workers/feed/feed.worker.ts", import.meta.url), { type: "module" });

let spare: Worker | null = null;

/** Starts the worker that the next voices will be opened in, while it is not yet known which they are. */
export function warmFeed(): void {
  if (!feedProblem()) spare ??= startWorker();
}

/** Opens voices of one rate for playing. Nothing of them is held but what is about to be heard. */
export async function openFeed(voices: readonly Voice[], sampleRateHz: number): Promise<Feed> {
  const problem = feedProblem();
  if (problem) throw new Error(problem);
  const memory = makeTape(
    voices.map((v) => v.channelCount),
    PIECE_FRAMES * Math.ceil((AHEAD_SECONDS * sampleRateHz) / PIECE_FRAMES),
  );
  const worker = spare ?? startWorker();
  spare = null;
  const api: Remote<FeedWorkerApi> = wrap<FeedWorkerApi>(worker);
  const files = new Map(voices.flatMap((v) => v.files.map((file) => [file.hash, file] as const)));
  const broken = new Promise<never>((_, reject) => {
    worker.addEventListener("error", (event) => {
      event.preventDefault();
      reject(new Error(`Playback stopped: the audio could not be read${event.message ? ` (${event.message})` : ""}.`));
    });
  });
  broken.catch(() => {});
  await Promise.race([
    api.load(
      memory,
      voices.map((v) => v.recipe),
      [...files.values()],
      sampleRateHz,
    ),
    broken,
  ]);
  return {
    memory,
    cue: (deck, startFrame, loop, first) => Promise.race([api.cue(deck, startFrame, loop, [...first]), broken]),
    close: () => worker.terminate(),
  };
}
