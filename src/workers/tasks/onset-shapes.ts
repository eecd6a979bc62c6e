import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { ONSET_SHAPE_VERSION, onsetShapes, onsetShapesSchema } from "@/core/dynamics/onset-shape";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Powers around the onsets of the first sound, of up to three. */
export const onsetShapesTask = defineTask({
  version: ONSET_SHAPE_VERSION,
  request: z.object({
    first: recipeSchema,
    second: recipeSchema.nullable(),
    third: recipeSchema.nullable(),
    region: regionSchema,
  }),
  answer: onsetShapesSchema,
  run: ({ first, second, third, region }, { open }) =>
    onsetShapes(
      [first, second, third].flatMap((recipe) => (recipe ? [open(recipe)] : [])),
      region,
    ),
});
