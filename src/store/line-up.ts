import { isAligned } from "@/core/alignment/aligned";
import { type Alignment, IN_STEP, type Placement, placementOf, placementSchema } from "@/core/alignment/alignment";
import type { Transient } from "@/core/alignment/transient";
import type { Overview } from "@/core/audio/overview";
import { unknownEdgeFrames } from "@/core/audio/resample";
import type { Residuals } from "@/core/difference/fit";
import { judgedRegion } from "@/core/difference/pair";
import type { Recipe } from "@/core/recipes/recipe";
import type { JobOptions } from "@/workers/jobs";
import { outlineKey } from "@/workers/read-file";
import type { AnswerOf } from "@/workers/registry";
import { copiesThere } from "./copies";
import { database } from "./database";
import type { Hand, Region, Render } from "./records";
import { resultOf, workOut } from "./results";

/** What of a job its asker may say. */
export type Asking = Pick<JobOptions, "rank" | "signal">;

/** A render as it came. */
export const fileRecipe = ({ audioHash }: Render): Recipe => ({ of: "file", hash: audioHash });

/** A render as it came, at the rate of its dry one. */
export const deliveredRecipe = (render: Render, dry: Render): Recipe =>
  render.sampleRateHz === dry.sampleRateHz
    ? fileRecipe(render)
    : { of: "rate", source: fileRecipe(render), sampleRateHz: dry.sampleRateHz };

/** A render laid on its dry one as a placement says; one that lies there already is the file itself. */
export function placedRecipe(render: Render, dry: Render, placement: Placement): Recipe {
  const source = deliveredRecipe(render, dry);
  const fits = isAligned(placement) && extentOf(render, dry).ownFrames === dry.frames;
  if (fits) return source;
  const { delaySamples, driftPpm, polarity, swapped } = placement;
  return { of: "step", source, placement: { delaySamples, driftPpm, polarity, swapped }, frames: dry.frames };
}

/** All of a passage, by its dry render. */
export const wholeOf = ({ frames }: Pick<Render, "frames">): Region => ({ startFrame: 0, endFrame: frames });

/** A stretch of a recipe of so many frames; all of it is the recipe itself. */
export const stretchRecipe = (source: Recipe, { startFrame, endFrame }: Region, frames: number): Recipe =>
  startFrame === 0 && endFrame === frames ? source : { of: "stretch", source, startFrame, endFrame };

/** How a render was found to lie against its passage's dry one. */
export async function alignmentOf(render: Render, dry: Render, asking: Asking = {}): Promise<Alignment> {
  if (render.audioHash === dry.audioHash) return IN_STEP;
  const request = { reference: fileRecipe(dry), render: deliveredRecipe(render, dry) };
  const attach = () => copiesThere([outlineKey(dry.audioHash), outlineKey(render.audioHash)]);
  return resultOf("align", request, { ...asking, title: `Aligning ${render.fileName}`, attach });
}

/** What a person set for a render against this dry one; null where the placement found holds. */
export const handOf = (render: Render, dry: Render): Hand | null =>
  render.hand?.dryAudioHash === dry.audioHash ? render.hand : null;

/** The alignment in force: as found, unless a person set it. */
export function inForce(render: Render, dry: Render, found: Alignment): Alignment {
  const hand = handOf(render, dry);
  return hand
    ? { ...hand.placement, found: true, delayErrorSamples: 0, driftErrorPpm: 0, confidence: 1, doubts: [] }
    : found;
}

/** What brings a render aligned, in force now. */
export async function placementNow(render: Render, dry: Render): Promise<Placement> {
  const hand = handOf(render, dry);
  return hand ? hand.placement : placementOf(await alignmentOf(render, dry));
}

/** A render as it is heard and measured: laid as it stands now, or as `placement` says. */
export async function recipeNow(render: Render, dry: Render, placement?: Placement): Promise<Recipe> {
  return placedRecipe(render, dry, placement ?? (await placementNow(render, dry)));
}

/**
 * Overrules a render's placement: `change` is given the one in force in the database, so that presses faster than the page is drawn
 * add up. Nothing happens to a locked one.
 */
export async function adjustPlacement(
  renderId: string,
  dry: Render,
  found: Placement,
  change: (placement: Placement) => Placement,
): Promise<void> {
  await database.transaction("rw", database.renders, async () => {
    const render = await database.renders.get(renderId);
    if (!render || renderId === dry.id) return;
    const hand = handOf(render, dry);
    if (hand?.locked) return;
    const placement = placementSchema.parse(change(hand?.placement ?? found));
    await database.renders.update(renderId, { hand: { dryAudioHash: dry.audioHash, placement, locked: false } });
  });
}

/** Holds a placement against being changed, or lets it go. */
export async function setLocked(render: Render, dry: Render, placement: Placement, locked: boolean): Promise<void> {
  await database.renders.update(render.id, {
    hand: { dryAudioHash: dry.audioHash, placement: placementSchema.parse(placement), locked },
  });
}

/** Takes back what a person set, unless it is locked. */
export async function backToFound(render: Render, dry: Render): Promise<void> {
  if (!handOf(render, dry)?.locked) await database.renders.update(render.id, { hand: null });
}

/** A render's length at the rate of its dry one, and what of its ends a conversion cannot know. */
export const extentOf = (render: Render, dry: Render) => ({
  ownFrames: Math.ceil((render.frames * dry.sampleRateHz) / render.sampleRateHz),
  edgeFrames: unknownEdgeFrames(render.sampleRateHz, dry.sampleRateHz),
});

/** What of a region of the dry render all of some renders cover, aligned as they are now. */
export async function coveredByAll(renders: readonly Render[], dry: Render, region: Region): Promise<Region> {
  const sides = await Promise.all(
    renders.map(async (render) => {
      const { ownFrames, edgeFrames } = extentOf(render, dry);
      return { placement: await placementNow(render, dry), frames: ownFrames, edgeFrames };
    }),
  );
  return judgedRegion(dry.frames, sides, region);
}

/** The same of one render. */
export const coveredPart = (render: Render, dry: Render, region: Region): Promise<Region> =>
  coveredByAll([render], dry, region);

/** Whether a render aligned looks as its file does, drawn in columns: it lies within half a column of it, and the same way up. */
function looksAsItCame(render: Render, dry: Render, { delaySamples, driftPpm, polarity }: Placement): boolean {
  const { ownFrames } = extentOf(render, dry);
  const column = dry.frames / render.overview.lows.length;
  const moved =
    Math.abs(delaySamples) + Math.abs((driftPpm ?? 0) * 1e-6 * dry.frames) + Math.abs(ownFrames - dry.frames);
  return moved < column / 2 && polarity.left === 1 && polarity.right === 1;
}

/** The waveform of a render aligned. */
export async function overviewNow(render: Render, dry: Render, asking: Asking = {}): Promise<Overview> {
  const placement = await placementNow(render, dry);
  // That of the file was drawn when it was read.
  if (looksAsItCame(render, dry, placement)) return render.overview;
  const sound = placedRecipe(render, dry, placement);
  return resultOf("overview", { sound }, { ...asking, title: `Drawing ${render.fileName}`, quiet: true });
}

/** Transients shown at the most. */
const ONSETS = 24;

/** Where sounds set in in the dry render. */
export async function transientsOf(dry: Render, asking: Asking = {}): Promise<Transient[]> {
  const request = { sound: fileRecipe(dry), wanted: ONSETS };
  return resultOf("onsets", request, { ...asking, title: `Finding transients in ${dry.fileName}`, quiet: true });
}

/** Samples around a frame of the dry render, as delivered and aligned. */
export async function samplesAround(
  render: Render,
  dry: Render,
  frame: number,
  reach: number,
  asking: Asking = {},
): Promise<AnswerOf<"around">> {
  const request = { delivered: deliveredRecipe(render, dry), aligned: await recipeNow(render, dry), frame, reach };
  return workOut("around", request, { ...asking, title: `Loading ${render.fileName}`, quiet: true });
}

/** What remains between a render and its dry one before and after it is aligned, each at its best gain. */
export async function residualsOf(render: Render, dry: Render, asking: Asking = {}): Promise<Residuals> {
  const found = await placementNow(render, dry);
  const { delaySamples, driftPpm, polarity, swapped } = found;
  const request = {
    dry: fileRecipe(dry),
    delivered: deliveredRecipe(render, dry),
    aligned: placedRecipe(render, dry, found),
    placement: { delaySamples, driftPpm, polarity, swapped },
    edgeFrames: extentOf(render, dry).edgeFrames,
  };
  const title = `Comparing ${render.fileName} with its dry render`;
  return resultOf("residuals", request, { ...asking, title, quiet: true });
}
