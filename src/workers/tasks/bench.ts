import { z } from "zod";
import { BENCH_VERSION, benchReportSchema } from "@/core/bench/report";
import { signalFormSchema } from "@/core/bench/signal/signal-plan";
import { chainSchema } from "@/core/processors/chain";
import { defineTask } from "../task";

/** Measures a chain of built-in processors by a test signal. */
export const benchTask = defineTask({
  version: BENCH_VERSION,
  request: z.object({ chain: chainSchema, form: signalFormSchema }),
  answer: benchReportSchema,
  // Its fits bring a package along that nobody else needs: loaded when it is asked for.
  run: async ({ chain, form }, { report }) => {
    const { benchChain } = await import("@/core/bench/bench");
    return benchChain(chain, form, (share, doing) => report({ share, doing }));
  },
});
