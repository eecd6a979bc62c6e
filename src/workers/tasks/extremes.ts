import { z } from "zod";
import { channelView, channelViewSchema } from "@/core/audio/channel-view";
import { extremesFrom, overviewSchema } from "@/core/audio/overview";
import { recipeSchema } from "@/core/recipes/recipe";
import { defineTask } from "../task";

/** A piece of a waveform: lowest and highest sample of each column, or the samples themselves. */
export const extremesTask = defineTask({
  version: 1,
  request: z.object({
    sound: recipeSchema,
    view: channelViewSchema,
    startFrame: z.number().int(),
    columnFrames: z.number().int().positive(),
    columns: z.number().int().positive(),
  }),
  answer: overviewSchema,
  run: ({ sound, view, startFrame, columnFrames, columns }, { open }) =>
    extremesFrom(channelView(open(sound), view), startFrame, columnFrames, columns),
});
