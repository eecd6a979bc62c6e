import { z } from "zod";
import { align } from "@/core/alignment/align";
import { ALIGNMENT_VERSION, alignmentSchema } from "@/core/alignment/alignment";
import { type Outline, outlineFrom } from "@/core/alignment/outline";
import { type Recipe, recipeSchema } from "@/core/recipes/recipe";
import { blobSource } from "../blobs";
import { outlineKey } from "../read-file";
import { defineTask } from "../task";

/** How a render lies against its dry one; both at one rate. Outlines of the files, where they came along, spare it reading them through. */
export const alignTask = defineTask({
  version: ALIGNMENT_VERSION,
  request: z.object({ reference: recipeSchema, render: recipeSchema }),
  answer: alignmentSchema,
  run: ({ reference, render }, { open, attached }) => {
    const outlineOf = (recipe: Recipe): Outline | null => {
      const blob = recipe.of === "file" ? attached(outlineKey(recipe.hash)) : null;
      return blob && outlineFrom(blobSource(blob).read(0, blob.size).slice().buffer);
    };
    const outlines = { reference: outlineOf(reference), render: outlineOf(render) };
    return align(open(reference), open(render), outlines);
  },
});
