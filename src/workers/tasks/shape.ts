import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { SHAPE_VERSION, shapeOf, shapeSchema } from "@/core/dynamics/shape";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** How the samples of a region lie. */
export const shapeTask = defineTask({
  version: SHAPE_VERSION,
  request: z.object({ sound: recipeSchema, region: regionSchema }),
  answer: shapeSchema,
  run: ({ sound, region }, { open }) => shapeOf(open(sound), region),
});
