import { z } from "zod";
import { CORRECTION_VERSION } from "@/core/alignment/aligned";
import { recipeSchema } from "@/core/recipes/recipe";
import { wavBlob } from "../blobs";
import { blobSchema, defineTask } from "../task";

/** What a recipe makes, written out as 32-bit floats, so that it is worked out once. */
export const copyTask = defineTask({
  version: CORRECTION_VERSION,
  request: z.object({ sound: recipeSchema }),
  answer: blobSchema,
  run: ({ sound }, { open }) => wavBlob(open(sound), "32-bit float"),
});
