import { z } from "zod";
import { OVER_MASK_VERSION, overMask, overMaskSchema } from "@/core/audibility/over-mask";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { regionSchema } from "@/core/audio/region";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Where what sets a pair apart stands out of the music, by estimate. */
export const overMaskTask = defineTask({
  version: OVER_MASK_VERSION,
  request: z.object({
    here: recipeSchema,
    yonder: recipeSchema,
    region: regionSchema,
    /** On Here, so that both are as loud. */
    gainDb: z.number(),
    playbackSplDb: z.number(),
  }),
  answer: overMaskSchema,
  run: ({ here, yonder, region, gainDb, playbackSplDb }, { open, report }) =>
    overMask(open(here), open(yonder), region, amplitudeFromDb(gainDb), playbackSplDb, (share) =>
      report({ share, doing: "Holding the difference against the mask" }),
    ),
});
