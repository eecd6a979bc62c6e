import { z } from "zod";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

const samples = z.array(z.instanceof(Float32Array));

/** Samples around a frame, one array a channel, 2 · reach + 1 frames: as delivered, and aligned. */
export const aroundTask = defineTask({
  version: 1,
  request: z.object({
    delivered: recipeSchema,
    aligned: recipeSchema,
    frame: z.number().int(),
    reach: z.number().int().positive(),
  }),
  answer: z.object({ before: samples, after: samples }),
  run: ({ delivered, aligned, frame, reach }, { open }) => {
    const [before, after] = [delivered, aligned].map((recipe) =>
      open(recipe)
        .read(frame - reach, 2 * reach + 1)
        .map((channel) => channel.slice()),
    );
    return { before, after };
  },
});
