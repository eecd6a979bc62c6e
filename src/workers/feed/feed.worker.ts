import { expose } from "comlink";
import type { FrameRange, Sound } from "@/core/audio/sound";
import type { Recipe } from "@/core/recipes/recipe";
import { recipesOver } from "../files";
import type { KeptFile } from "../task";
import { Feeder } from "./feeder";
import type { TapeMemory } from "./tape";

/** Between rounds of feeding; the rings hold many times as much. */
const ROUND_MS = 25;
/** Of one round, so that a new place is heard at once. */
const LONGEST_ROUND_MS = 10;
/** What has to be there before a deck may start. */
const CUED_SECONDS = 0.12;

let feeder: Feeder | null = null;
let cuedFrames = 0;
let voiceCount = 0;
let timer: ReturnType<typeof setTimeout> | null = null;

function keepFeeding(): void {
  if (timer) clearTimeout(timer);
  const begun = performance.now();
  let more = true;
  while (more && performance.now() - begun < LONGEST_ROUND_MS) more = feeder?.feed() ?? false;
  timer = setTimeout(keepFeeding, more ? 0 : ROUND_MS);
}

const api = {
  /** Opens the voices that a tape is for. */
  load(memory: TapeMemory, recipes: readonly Recipe[], files: readonly KeptFile[], sampleRateHz: number): void {
    // Many are read at once, a little of each: nothing is fetched ahead of what is asked for.
    const open = recipesOver(files, 0);
    const sounds: Sound[] = recipes.map(open);
    feeder = new Feeder(memory, sounds);
    voiceCount = sounds.length;
    cuedFrames = Math.min(memory.capacity, Math.ceil(CUED_SECONDS * sampleRateHz));
  },

  /** Makes a deck ready to start at a frame, the voices in `first` before the others. The other deck is fed as long as it plays. */
  cue(deck: number, startFrame: number, loop: FrameRange | null, first: readonly number[]): void {
    if (!feeder) return;
    feeder.cue(deck, startFrame, loop);
    const rest = Array.from({ length: voiceCount }, (_, v) => v).filter((v) => !first.includes(v));
    for (const voice of [...first, ...rest]) while (feeder.fill(deck, voice, cuedFrames));
    // The answer goes first, then the rest is written.
    if (timer) clearTimeout(timer);
    timer = setTimeout(keepFeeding, 0);
  },
};
export type FeedWorkerApi = typeof api;

expose(api);
