import { z } from "zod";
import { channelView, channelViewSchema } from "@/core/audio/channel-view";
import { recipeSchema } from "@/core/recipes/recipe";
import { SEGMENT_POINTS } from "@/core/spectrum/averaged";
import { SPECTROGRAM_VERSION, spectrogramPiece, spectrogramSchema } from "@/core/spectrum/spectrogram";
import { defineTask } from "../task";

/** A piece of a spectrogram; what its columns hold in their middle is reported first. */
export const spectrogramTask = defineTask({
  version: SPECTROGRAM_VERSION,
  request: z.object({
    sound: recipeSchema,
    view: channelViewSchema,
    startFrame: z.number().int(),
    columnFrames: z.number().int().positive(),
    points: z.number().refine((points) => SEGMENT_POINTS.includes(points)),
    isLog: z.boolean(),
  }),
  answer: spectrogramSchema,
  run: ({ sound, view, ...ask }, { open, report, partial }) => {
    let told = false;
    return spectrogramPiece(channelView(open(sound), view), ask, (share, soFar) => {
      report({ share, doing: "Drawing a spectrogram" });
      if (!told) partial(soFar());
      told = true;
    });
  },
});
