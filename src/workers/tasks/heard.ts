import { z } from "zod";
import { HEARD_VERSION, heardDifference, heardSchema } from "@/core/audibility/heard";
import { amplitudeFromDb } from "@/core/audio/decibels";
import { regionSchema } from "@/core/audio/region";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** What an ear model expects to be heard of the difference of a pair. */
export const heardTask = defineTask({
  version: HEARD_VERSION,
  request: z.object({
    here: recipeSchema,
    yonder: recipeSchema,
    region: regionSchema,
    /** On Here, so that both are as loud. */
    gainDb: z.number(),
    playbackSplDb: z.number(),
  }),
  answer: heardSchema,
  run: ({ here, yonder, region, gainDb, playbackSplDb }, { open, report }) =>
    heardDifference(open(here), open(yonder), region, amplitudeFromDb(gainDb), playbackSplDb, (share) =>
      report({ share, doing: "Finding where the difference is audible" }),
    ),
});
