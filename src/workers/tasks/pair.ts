import { z } from "zod";
import { measurePair, PAIR_VERSION, pairFiguresSchema } from "@/core/difference/pair";
import { LEVELS_VERSION } from "@/core/loudness/measure";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** What sets two renders aligned apart, over the frames that both cover. */
export const pairTask = defineTask({
  version: `${PAIR_VERSION}.${LEVELS_VERSION}`,
  request: z.object({
    here: recipeSchema,
    yonder: recipeSchema,
    region: z.object({ startFrame: z.number().int().min(0), endFrame: z.number().int().min(0) }),
  }),
  answer: pairFiguresSchema,
  run: ({ here, yonder, region }, { open }) => measurePair(open(here), open(yonder), region),
});
