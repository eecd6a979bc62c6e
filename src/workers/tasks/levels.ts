import { z } from "zod";
import { LEVELS_VERSION, measureStretch, stretchLevelsSchema } from "@/core/loudness/measure";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Loudness, peaks and RMS of a sound. */
export const levelsTask = defineTask({
  version: LEVELS_VERSION,
  request: z.object({ sound: recipeSchema }),
  answer: stretchLevelsSchema,
  run: ({ sound }, { open }) => measureStretch(open(sound)),
});
