import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { recipeSchema } from "@/core/recipes/recipe";
import { PLANE_VERSION, phasePlane, planeSchema } from "@/core/stereo/plane";
import { defineTask } from "../task";

/** Where a sound stands on the plane of side and mid; null for mono and silence. */
export const planeTask = defineTask({
  version: PLANE_VERSION,
  request: z.object({ sound: recipeSchema, region: regionSchema }),
  answer: planeSchema.nullable(),
  run: ({ sound, region }, { open }) => phasePlane(open(sound), region),
});
