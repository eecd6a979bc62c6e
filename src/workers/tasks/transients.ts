import { z } from "zod";
import { findTransients, transientSchema } from "@/core/alignment/transient";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Where sounds set in. */
export const transientsTask = defineTask({
  version: 1,
  request: z.object({ sound: recipeSchema, wanted: z.number().int().positive() }),
  answer: z.array(transientSchema),
  run: ({ sound, wanted }, { open }) => findTransients(open(sound), wanted),
});
