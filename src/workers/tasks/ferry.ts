import { z } from "zod";
import type { Clip } from "@/core/audio/clip";
import { soundOf } from "@/core/audio/sound";
import { renderFerry, synthesiseFerry } from "@/core/demo/ferry";
import { made, madeRenderSchema } from "../made-render";
import { defineTask } from "../task";

/** The passage is synthesised once a worker; its candidates all start from it. */
let lastDry: { passageKey: string; clip: Clip } | null = null;

function dryOf(passageKey: string): Clip {
  if (lastDry?.passageKey !== passageKey) lastDry = { passageKey, clip: synthesiseFerry(passageKey) };
  return lastDry.clip;
}

/** One render of the demo. */
export const ferryTask = defineTask({
  version: 2,
  request: z.object({ passageKey: z.string(), candidateKey: z.string().nullable() }),
  answer: madeRenderSchema,
  run: ({ passageKey, candidateKey }, { report }) => {
    const dry = dryOf(passageKey);
    return made(candidateKey === null ? soundOf(dry) : renderFerry(dry, candidateKey), "24-bit", report);
  },
});
