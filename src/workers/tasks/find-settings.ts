import { z } from "zod";
import { foundSettingsSchema, wantedSchema } from "@/core/bench/find/found-settings";
import { BENCH_VERSION } from "@/core/bench/report";
import { defineTask } from "../task";

/** Looks for the settings of a processor that come closest to a measured curve. */
export const findSettingsTask = defineTask({
  version: BENCH_VERSION,
  request: z.object({
    wanted: wantedSchema,
    processorKey: z.string(),
    mostBands: z.number().int().min(1).max(8),
  }),
  answer: foundSettingsSchema,
  run: async ({ wanted, processorKey, mostBands }) => {
    const { findSettings } = await import("@/core/bench/find/find-settings");
    return findSettings(wanted, processorKey, mostBands);
  },
});
