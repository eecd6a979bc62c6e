import { z } from "zod";
import { fileFormSchema, partsOfFile } from "@/core/formats/file-form";
import { recipeSchema } from "@/core/recipes/recipe";
import { blobOf } from "../blobs";
import { blobSchema, defineTask } from "../task";

/** A sound as a file to hand over. */
export const writeTask = defineTask({
  version: 1,
  request: z.object({ sound: recipeSchema, form: fileFormSchema }),
  answer: blobSchema,
  run: ({ sound, form }, { open }) => blobOf(partsOfFile(open(sound), form)),
});
