import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { ONSET_SHAPE_VERSION, transientShapes, transientShapesSchema } from "@/core/dynamics/transient-shape";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Powers around the transients of the first sound, of up to three. */
export const transientShapesTask = defineTask({
  version: ONSET_SHAPE_VERSION,
  request: z.object({
    first: recipeSchema,
    second: recipeSchema.nullable(),
    third: recipeSchema.nullable(),
    region: regionSchema,
  }),
  answer: transientShapesSchema,
  run: ({ first, second, third, region }, { open }) =>
    transientShapes(
      [first, second, third].flatMap((recipe) => (recipe ? [open(recipe)] : [])),
      region,
    ),
});
