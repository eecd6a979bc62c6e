import { z } from "zod";
import { overviewOf, overviewSchema } from "@/core/audio/overview";
import { recipeSchema } from "@/core/recipes/recipe";
import { OVERVIEW_COLUMNS } from "../read-file";
import { defineTask } from "../task";

/** The waveform of a sound, as the transport draws it. */
export const overviewTask = defineTask({
  version: 1,
  request: z.object({ sound: recipeSchema }),
  answer: overviewSchema,
  run: ({ sound }, { open }) => overviewOf(open(sound), OVERVIEW_COLUMNS),
});
