import type { Places } from "./monitor";
import type { Pair } from "./workbench";

/** Where a switch may go back to on a passage: its loop's start, and its mark, which is the loop's start where none was set. */
export function placesOf({ passage, dry }: Pair): Places {
  const loopStartFrame = passage.loop?.startFrame ?? 0;
  return { loopStartFrame, markFrame: passage.markFrame ?? loopStartFrame, sampleRateHz: dry.sampleRateHz };
}

/** The render that a scene is of; null for the difference, and for what is not there. */
export function renderOfScene(pair: Pair, scene: string) {
  if (scene === "here" || scene === "yonder") return pair[scene];
  return pair.renders.find((r) => r.id === scene) ?? null;
}

/** The scene that a render is heard by: its side of the pair where it has one. */
export const sceneOfRender = (pair: Pair, renderId: string): string =>
  renderId === pair.here.id ? "here" : renderId === pair.yonder.id ? "yonder" : renderId;
