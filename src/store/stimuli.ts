import { anchorOf } from "@/core/blind/anchor";
import type { Run, ShareAbove, Stimulus } from "@/core/blind/run";
import { type Recipe, withGain } from "@/core/recipes/recipe";
import { database } from "./database";
import { placedRecipe, stretchRecipe } from "./line-up";
import type { Region, Render } from "./records";
import { resultOf } from "./results";

const TAKEN_OUT = "A render of this run was deleted.";

/** A stimulus aligned, as the plan had it, at no gain. */
export async function stimulusRecipe(stimulus: Stimulus, dry: Render | undefined): Promise<Recipe> {
  const { audioHash, renderId, placement, role } = stimulus;
  // That of a pack is laid and cut already.
  if (!renderId || !dry) return { of: "file", hash: audioHash };
  const render = await database.renders.get(renderId);
  if (!render) throw new Error(TAKEN_OUT);
  if (!placement) throw new Error("This run comes from a version that did not save its alignment.");
  const source = placedRecipe(render, dry, placement);
  return role === "anchor" ? anchorOf(source, dry.sampleRateHz) : source;
}

/** What a run's stimuli are laid on; undefined for a pack, whose audio is all there is. */
export async function dryOf(run: Pick<Run, "dryRenderId">): Promise<Render | undefined> {
  if (!run.dryRenderId) return undefined;
  const dry = await database.renders.get(run.dryRenderId);
  if (!dry) throw new Error(TAKEN_OUT);
  return dry;
}

/** A recipe at the gain of a stimulus's match. */
export const atItsGain = ({ gainDb }: Stimulus, source: Recipe): Recipe => withGain(source, gainDb);

/** A stimulus as it is heard over a region: aligned, cut, at its gain. */
export async function heardRecipe(stimulus: Stimulus, dry: Render, region: Region): Promise<Recipe> {
  return atItsGain(stimulus, stretchRecipe(await stimulusRecipe(stimulus, dry), region, dry.frames));
}

/** Where the difference of two stimuli lies, as they are heard; null where there is none. */
export async function differenceAbove(
  [here, yonder]: readonly Stimulus[],
  dry: Render,
  region: Region,
): Promise<ShareAbove[] | null> {
  const sound: Recipe = {
    of: "difference",
    here: await heardRecipe(here, dry, region),
    yonder: await heardRecipe(yonder, dry, region),
  };
  return resultOf("above", { sound }, { title: "Measuring the spectrum of the difference", quiet: true });
}
