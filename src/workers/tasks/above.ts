import { z } from "zod";
import { hearingSteps } from "@/core/blind/hearing";
import { shareAboveSchema } from "@/core/blind/run";
import { SHARE_ABOVE_VERSION, sharesAbove } from "@/core/difference/share-above";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** How much of a sound lies above each of the tones that hearing is tried with. */
export const aboveTask = defineTask({
  version: SHARE_ABOVE_VERSION,
  request: z.object({ sound: recipeSchema }),
  answer: z.array(shareAboveSchema).nullable(),
  run: ({ sound }, { open }) => {
    const opened = open(sound);
    return sharesAbove(opened, hearingSteps(opened.sampleRateHz));
  },
});
