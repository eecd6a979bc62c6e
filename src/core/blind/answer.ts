import { z } from "zod";
import { regionSchema } from "../audio/region";
import { type Plan, SCALE_RANGE } from "./plan";

/** One side of an ABX trial. A is the first stimulus, Here, and B the second, Yonder, always. */
export const abxSideSchema = z.enum(["A", "B"]);
export type AbxSide = z.infer<typeof abxSideSchema>;

export const MOST_WORDS = 12;

/** What a listener said in a trial. Seats are counted from 0, from left to right. */
export const answerSchema = z.union([
  z.strictObject({ side: abxSideSchema }),
  z.strictObject({ said: z.enum(["same", "different"]) }),
  /** The best of them; more than one where ties were planned. */
  z.strictObject({ picked: z.array(z.number().int().min(0)).min(1) }),
  /** A grade a seat, and words pinned to it. */
  z.strictObject({ grades: z.array(z.number()), words: z.array(z.array(z.string().max(40)).max(MOST_WORDS)) }),
  /** The time was up. */
  z.strictObject({ missed: z.literal(true) }),
]);
export type Answer = z.infer<typeof answerSchema>;

export const trialSchema = z.object({
  answer: answerSchema,
  answeredAt: z.iso.datetime(),
  listeningSeconds: z.number().min(0),
  /** Where the loop lay when the answer was given, in runs that leave it free. */
  loop: regionSchema.nullable().default(null),
});
export type Trial = z.infer<typeof trialSchema>;

/** Whether an answer could have been given in a trial with so many seats. */
export function answerFits(plan: Plan, seats: number, answer: Answer): boolean {
  if ("missed" in answer) return "secondsPerTrial" in plan && plan.secondsPerTrial !== null;
  switch (plan.kind) {
    case "abx":
      return "side" in answer;
    case "same-different":
      return "said" in answer;
    case "favourite":
    case "pairs": {
      if (!("picked" in answer)) return false;
      const { picked } = answer;
      const most = plan.ties ? seats : 1;
      return picked.length <= most && new Set(picked).size === picked.length && picked.every((seat) => seat < seats);
    }
    case "rating": {
      if (!("grades" in answer)) return false;
      const { low, high } = SCALE_RANGE[plan.scale];
      return (
        answer.grades.length === seats &&
        answer.words.length === seats &&
        answer.grades.every((grade) => grade >= low && grade <= high)
      );
    }
  }
}
