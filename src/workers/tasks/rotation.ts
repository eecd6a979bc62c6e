import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { phaseRotation, ROTATION_VERSION, rotationSchema } from "@/core/dynamics/rotation";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Peaks when all phases are turned. */
export const rotationTask = defineTask({
  version: ROTATION_VERSION,
  request: z.object({ sound: recipeSchema, region: regionSchema }),
  answer: rotationSchema,
  run: ({ sound, region }, { open, report }) =>
    phaseRotation(open(sound), region, (share) => report({ share, doing: "Rotating phase" })),
});
