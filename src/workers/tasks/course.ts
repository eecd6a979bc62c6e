import { z } from "zod";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { loudnessCourse, loudnessCourseSchema } from "@/core/loudness/loudness";
import { LEVELS_VERSION } from "@/core/loudness/measure";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Loudness over time, as it is with a gain. */
export const courseTask = defineTask({
  version: LEVELS_VERSION,
  request: z.object({ sound: recipeSchema, gainDb: z.number() }),
  answer: loudnessCourseSchema,
  run: ({ sound, gainDb }, { open, partial }) => loudnessCourse(open(sound), amplitudeFromDb(gainDb), partial),
});
