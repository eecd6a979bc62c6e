import { z } from "zod";
import { leastSquaresGainDb } from "@/core/difference/fit";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** The gain in dB that lays a render aligned on the dry one with the smallest residual; null where none does. */
export const fitTask = defineTask({
  version: 3,
  request: z.object({ dry: recipeSchema, aligned: recipeSchema }),
  answer: z.number().nullable(),
  run: ({ dry, aligned }, { open }) => leastSquaresGainDb(open(dry), open(aligned)),
});
