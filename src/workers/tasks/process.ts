import { z } from "zod";
import { chainSchema, runChain } from "@/core/processors/chain";
import { recipeSchema } from "@/core/recipes/recipe";
import { made, madeRenderSchema } from "../made-render";
import { defineTask } from "../task";

/** A render through a chain of built-in processors, piece by piece. */
export const processTask = defineTask({
  version: 2,
  request: z.object({
    source: recipeSchema,
    chain: chainSchema,
    keepLatency: z.boolean(),
    /** Another render, aligned, that processors with a sidechain listen to. */
    key: recipeSchema.nullable(),
  }),
  answer: madeRenderSchema,
  run: ({ source, chain, keepLatency, key }, { open, report }) => {
    const sound = runChain(open(source), chain, {
      key: key ? open(key) : undefined,
      keepLatency,
      onHeard: (name, share) => report({ share: 0.05, doing: `${name}, first pass: ${Math.round(100 * share)} %` }),
    });
    return made(sound, "32-bit float", report);
  },
});
