import { z } from "zod";
import { BENCH_VERSION, benchReportSchema } from "@/core/bench/report";
import { defineTask } from "../task";

const refusedSchema = z.object({ ok: z.literal(false), reason: z.string(), advice: z.string() });

/** Takes a loop-back off a measurement. */
export const benchReferencedTask = defineTask({
  version: BENCH_VERSION,
  request: z.object({ report: benchReportSchema, loop: z.object({ title: z.string(), report: benchReportSchema }) }),
  answer: z.discriminatedUnion("ok", [z.object({ ok: z.literal(true), value: benchReportSchema }), refusedSchema]),
  run: async ({ report, loop }) => {
    const { withReference } = await import("@/core/bench/reference");
    return withReference(report, loop);
  },
});
