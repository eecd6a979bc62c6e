import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { LADDER_VERSION, ladderOf } from "@/core/ladder/ladder-report";
import { ladderSchema } from "@/core/ladder/ladder-schema";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** What the work has come to, by what is being done: parts take about as long as each other. */
const COURSE = [
  "Comparing every sample",
  "Fitting EQ",
  "Fitting gain over time and saturation",
  "Fitting all stages together",
  "Fitting gain in bands",
  "Weighing each step",
  "Cross-validating",
  "Checking the whole passage",
  "Sorting the residual",
];

/** Explains a pair: every cause, and the ladder of steps; the first steps are reported early. */
export const ladderTask = defineTask({
  version: LADDER_VERSION,
  request: z.object({
    deliveredHere: recipeSchema,
    deliveredYonder: recipeSchema,
    here: recipeSchema,
    yonder: recipeSchema,
    region: regionSchema,
    placed: z
      .object({
        delaySamples: z.number(),
        polarity: z.union([z.literal(1), z.literal(-1)]),
        polarityRight: z.union([z.literal(1), z.literal(-1)]),
        swapped: z.boolean(),
        driftPpm: z.number().nullable(),
      })
      .nullable(),
    judgedShare: z.number(),
  }),
  answer: ladderSchema,
  run: ({ deliveredHere, deliveredYonder, here, yonder, region, placed, judgedShare }, { open, report, partial }) => {
    let doing = COURSE[0];
    const pause = (next?: string) => {
      doing = next ?? doing;
      report({ share: Math.max(0, COURSE.indexOf(doing)) / COURSE.length, doing });
    };
    const delivered = { here: open(deliveredHere), yonder: open(deliveredYonder) };
    const aligned = { here: open(here), yonder: open(yonder) };
    return ladderOf({ delivered, aligned, region, placed, judgedShare }, pause, partial);
  },
});
