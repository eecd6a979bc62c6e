import { z } from "zod";
import { pooledGrading, pooledTally } from "@/core/blind/pooled";
import { gradingSchema, screeningSchema, tallySchema } from "@/core/blind/result";
import { runSchema } from "@/core/blind/run";
import { defineTask } from "../task";

/** What several listeners' picks or grades come to, all together. */
export const pooledTask = defineTask({
  version: 1,
  request: z.object({ runs: z.array(runSchema) }),
  answer: z.object({
    tally: tallySchema.nullable(),
    grading: gradingSchema.nullable(),
    screened: z.array(z.object({ code: z.string(), screening: screeningSchema })),
  }),
  run: ({ runs }) => {
    const graded = runs[0]?.plan.kind === "rating";
    return graded ? { tally: null, ...pooledGrading(runs) } : { tally: pooledTally(runs), grading: null, screened: [] };
  },
});
