import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { CELLS_VERSION, cellsSchema, levelCells } from "@/core/dynamics/cells";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** A region of a sound in short cells. */
export const cellsTask = defineTask({
  version: CELLS_VERSION,
  request: z.object({ sound: recipeSchema, region: regionSchema }),
  answer: cellsSchema,
  run: ({ sound, region }, { open }) => levelCells(open(sound), region),
});
