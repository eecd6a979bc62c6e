import { z } from "zod";
import { soundOf } from "@/core/audio/sound";
import { made, madeRenderSchema } from "../made-render";
import { defineTask } from "../task";

/** A material at absurd gain, as a render: in floats, so that nothing is cut off beyond full scale. */
export const stressMaterialTask = defineTask({
  version: 1,
  request: z.object({ materialKey: z.string(), driveDb: z.number().min(0).max(60) }),
  answer: madeRenderSchema,
  run: async ({ materialKey, driveDb }, { report }) => {
    const { stressMaterial } = await import("@/core/bench/stress-test");
    return made(soundOf(stressMaterial(materialKey, driveDb)), "32-bit float", report);
  },
});
