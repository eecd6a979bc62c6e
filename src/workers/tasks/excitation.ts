import { z } from "zod";
import { EXCITATION_VERSION, excitationOf, excitationSchema } from "@/core/audibility/excitation";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { regionSchema } from "@/core/audio/region";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** What a sound excites in the ear, at a gain. */
export const excitationTask = defineTask({
  version: EXCITATION_VERSION,
  request: z.object({ sound: recipeSchema, region: regionSchema, gainDb: z.number() }),
  answer: excitationSchema,
  run: ({ sound, region, gainDb }, { open, report }) =>
    excitationOf(open(sound), region, amplitudeFromDb(gainDb), (share) =>
      report({ share, doing: "Running the ear model" }),
    ),
});
