import { z } from "zod";
import { placementSchema } from "@/core/alignment/alignment";
import { residualsAround } from "@/core/difference/fit";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** What remains between a render and its dry one before and after it is aligned, each at its best gain. */
export const residualsTask = defineTask({
  version: 3,
  request: z.object({
    dry: recipeSchema,
    delivered: recipeSchema,
    aligned: recipeSchema,
    placement: placementSchema,
    edgeFrames: z.number().int().min(0),
  }),
  answer: z.object({ beforeDb: z.number().nullable(), afterDb: z.number().nullable() }),
  run: ({ dry, delivered, aligned, placement, edgeFrames }, { open }) =>
    residualsAround(open(dry), open(delivered), open(aligned), placement, edgeFrames),
});
