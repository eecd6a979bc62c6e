import { z } from "zod";
import { trialSchema } from "@/core/blind/answer";
import { orderSchema } from "@/core/blind/order";
import { planSchema } from "@/core/blind/plan";
import { ROLES, resultSchema, scoreRun } from "@/core/blind/result";
import { defineTask } from "../task";

/** What a run came to, once its order is open. */
export const scoreTask = defineTask({
  version: 1,
  request: z.object({
    plan: planSchema,
    roles: z.array(z.enum(ROLES)),
    order: orderSchema,
    trials: z.array(trialSchema),
  }),
  answer: resultSchema,
  run: ({ plan, roles, order, trials }) => scoreRun(plan, roles, order, trials),
});
