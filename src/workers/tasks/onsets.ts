import { z } from "zod";
import { findOnsets, onsetSchema } from "@/core/alignment/onset";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Where sounds set in. */
export const onsetsTask = defineTask({
  version: 1,
  request: z.object({ sound: recipeSchema, wanted: z.number().int().positive() }),
  answer: z.array(onsetSchema),
  run: ({ sound, wanted }, { open }) => findOnsets(open(sound), wanted),
});
