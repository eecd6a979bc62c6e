import { z } from "zod";
import { regionSchema } from "@/core/audio/region";
import { LADDER_VERSION, ladderOf, ladderSchema } from "@/core/ladder/ladder-report";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** What the work has come to, by what is being done: parts take about as long as each other. */
const COURSE = [
  "Looking for a filter",
  "Looking for gain over time and bends",
  "Fitting all of it together",
  "Judging each half by the other",
  "Sorting what is left",
];

/** Takes apart what sets a pair apart, step by step; the first steps are told early. */
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
        driftPpm: z.number().nullable(),
      })
      .nullable(),
  }),
  answer: ladderSchema,
  run: ({ deliveredHere, deliveredYonder, here, yonder, region, placed }, { open, report, partial }) => {
    let doing = COURSE[0];
    const pause = (next?: string) => {
      doing = next ?? doing;
      report({ share: Math.max(0, COURSE.indexOf(doing)) / COURSE.length, doing });
    };
    const delivered = { here: open(deliveredHere), yonder: open(deliveredYonder) };
    return ladderOf({ delivered, inStep: { here: open(here), yonder: open(yonder) }, region, placed }, pause, partial);
  },
});
