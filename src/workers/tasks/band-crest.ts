import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { BAND_CREST_VERSION, bandCrest, bandCrestSchema } from "@/core/dynamics/band-crest";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Crest in octave bands. */
export const bandCrestTask = defineTask({
  version: BAND_CREST_VERSION,
  request: z.object({ sound: recipeSchema, region: regionSchema }),
  answer: bandCrestSchema,
  run: ({ sound, region }, { open, report }) =>
    bandCrest(open(sound), region, (share) => report({ share, doing: "Measuring crest factors" })),
});
