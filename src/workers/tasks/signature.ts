import { z } from "zod";
import { recipeSchema } from "@/core/recipes/recipe";
import { SIGNATURE_VERSION, signatureOf, signatureSchema } from "@/core/sorting/signature";
import { defineTask } from "../task";

/** How a sound moves, by which files find their passage. */
export const signatureTask = defineTask({
  version: SIGNATURE_VERSION,
  request: z.object({ sound: recipeSchema }),
  answer: signatureSchema,
  run: ({ sound }, { open }) => signatureOf(open(sound)),
});
