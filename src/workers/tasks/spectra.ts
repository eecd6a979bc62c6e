import { z } from "zod";
import { channelView, channelViewSchema } from "@/core/audio/channel-view";
import { regionSchema } from "@/core/audio/region";
import { recipeSchema } from "@/core/recipes/recipe";
import { type Averaged, averagedSchema, averagedSpectra, SPECTRUM_VERSION } from "@/core/spectrum/averaged";
import { defineTask } from "../task";

/** What is known so far is handed out after this share of the work, and as often. */
const PARTIAL_SHARE = 0.1;

/** Averaged spectra of renders aligned over a region, and how the others follow the first; null where no segment fits. */
export const spectraTask = defineTask({
  version: SPECTRUM_VERSION,
  request: z.object({
    first: recipeSchema,
    second: recipeSchema.nullable(),
    third: recipeSchema.nullable(),
    region: regionSchema,
    points: z.number().int(),
    view: channelViewSchema,
  }),
  answer: averagedSchema.nullable(),
  run: ({ first, second, third, region, points, view }, { open, report, partial }) => {
    const sounds = [first, second, third].flatMap((recipe) => (recipe ? [channelView(open(recipe), view)] : []));
    let told = 0;
    return averagedSpectra(sounds, region, points, (share: number, soFar: () => Averaged) => {
      report({ share, doing: "Averaging spectra" });
      if (share < 1 && share - told >= PARTIAL_SHARE) {
        told = share;
        partial(soFar());
      }
    });
  },
});
