import { z } from "zod";
import { clipOf, soundOf } from "@/core/audio/sound";
import { chainSchema, runChain } from "@/core/processors/chain";
import { recipeSchema } from "@/core/recipes/recipe";
import { made, madeRenderSchema } from "../made-render";
import { defineTask } from "../task";

/** A render through a chain of built-in processors. They work on whole clips: the sound is held while they do. */
export const processTask = defineTask({
  version: 1,
  request: z.object({
    source: recipeSchema,
    chain: chainSchema,
    keepLatency: z.boolean(),
    /** Another render, brought in step, that keyed processors listen to. */
    key: recipeSchema.nullable(),
  }),
  answer: madeRenderSchema,
  run: ({ source, chain, keepLatency, key }, { open, report }) => {
    const clip = runChain(clipOf(open(source)), chain, {
      key: key ? clipOf(open(key)) : undefined,
      keepLatency,
      onStage: (share, name) => report({ share: 0.1 + 0.7 * share, doing: name }),
    });
    report({ share: 0.8, doing: "Measuring the result" });
    return made(soundOf(clip), "32-bit float");
  },
});
