import { placedBetween } from "@/core/alignment/alignment";
import type { OverMask } from "@/core/audibility/over-mask";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Found, WornStep } from "@/core/ladder/found";
import { type Ladder, ladderSchema } from "@/core/ladder/ladder-report";
import type { Recipe } from "@/core/recipes/recipe";
import type { Averaged } from "@/core/spectrum/averaged";
import { type Asking, alignmentOf, coveredByAll, deliveredRecipe, inForce, recipeNow } from "./line-up";
import type { Region, Render } from "./records";
import { resultOf } from "./results";

/** Two renders of a passage that are explained, and the one they lie on. */
export type ExplainedPair = { here: Render; yonder: Render; dry: Render };

/** Takes a pair apart over a region; the first steps are told before the rest is there. */
export async function ladderFor(
  pair: ExplainedPair,
  region: Region,
  asking: Asking,
  onPart: (ladder: Ladder) => void,
): Promise<Ladder> {
  const { here, yonder, dry } = pair;
  const judged = await coveredByAll([here, yonder], dry, region);
  const [first, second] = await Promise.all(
    [here, yonder].map(async (render) => inForce(render, dry, await alignmentOf(render, dry, asking))),
  );
  const placed =
    first.found && second.found && judged.endFrame > judged.startFrame ? placedBetween(first, second) : null;
  const request = {
    deliveredHere: deliveredRecipe(here, dry),
    deliveredYonder: deliveredRecipe(yonder, dry),
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    region: placed ? judged : region,
    placed,
  };
  const onPartial = (answer: unknown) => onPart(ladderSchema.parse(answer));
  return resultOf("ladder", request, { ...asking, title: "Taking the difference apart", onPartial });
}

/** Here wearing what was found, up to a step, as a recipe. */
export async function wornRecipe(
  pair: ExplainedPair,
  region: Region,
  found: Found,
  upTo: WornStep,
): Promise<Extract<Recipe, { of: "worn" }>> {
  const { here, yonder, dry } = pair;
  const { startFrame, endFrame } = await coveredByAll([here, yonder], dry, region);
  return {
    of: "worn",
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    startFrame,
    endFrame,
    found,
    upTo,
  };
}

/** Averaged spectra of up to three renders in step over a region, with how the others follow the first. */
export async function spectraOf(
  renders: readonly Render[],
  dry: Render,
  region: Region,
  points: number,
  view: ChannelView,
  asking: Asking,
  onPart: (averaged: Averaged) => void,
): Promise<Averaged | null> {
  const [first, second = null, third = null] = await Promise.all(renders.map((r) => recipeNow(r, dry)));
  const onPartial = (answer: unknown) => onPart(answer as Averaged);
  const judged = await coveredByAll(renders, dry, region);
  if (judged.endFrame <= judged.startFrame) return null;
  const request = { first, second, third, region: judged, points, view };
  return resultOf("spectra", request, { ...asking, title: "Averaging spectra", quiet: true, onPartial });
}

/** Where the difference of a pair stands out of the music, by estimate, both as loud. */
export async function overMaskOf(
  pair: ExplainedPair,
  region: Region,
  gainDb: number,
  playbackSplDb: number,
  asking: Asking,
): Promise<OverMask> {
  const { here, yonder, dry } = pair;
  const request = {
    here: await recipeNow(here, dry),
    yonder: await recipeNow(yonder, dry),
    region: await coveredByAll([here, yonder], dry, region),
    gainDb: Number(gainDb.toFixed(2)) + 0,
    playbackSplDb,
  };
  return resultOf("overMask", request, { ...asking, title: "Looking where to listen", quiet: true });
}
