import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { foundDynamicsSchema } from "@/core/bench/find/found-dynamics";
import { BENCH_VERSION } from "@/core/bench/report";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** Looks for the settings of a compressor or limiter whose gain over time on a passage comes closest to a render's. */
export const findDynamicsTask = defineTask({
  version: BENCH_VERSION,
  request: z.object({ dry: recipeSchema, wanted: recipeSchema, region: regionSchema, processorKey: z.string() }),
  answer: foundDynamicsSchema,
  run: async ({ dry, wanted, region, processorKey }, { open, report }) => {
    const { findDynamics } = await import("@/core/bench/find/find-dynamics");
    return findDynamics(open(dry), open(wanted), region, processorKey, (share, doing) => report({ share, doing }));
  },
});
