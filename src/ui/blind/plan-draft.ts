import { z } from "zod";
import {
  FEWEST_ROUNDS,
  FEWEST_TRIALS,
  MOST_ROUNDS,
  MOST_SERIES_RUNS,
  MOST_TRAINING,
  MOST_TRIALS,
  type Plan,
  planRightOrWrong,
  planSchema,
  type RunKind,
  SCALES,
  type Series,
} from "@/core/blind/plan";
import { newId } from "@/store/comparisons";
import { LABELS } from "@/ui/labels";

export const FORMS: readonly { kind: RunKind; title: string; asks: string }[] = [
  { kind: "abx", title: LABELS.abx, asks: "Is a difference audible? X is Here or Yonder: say which." },
  {
    kind: "same-different",
    title: "Same or different",
    asks: "Is a difference audible? Two intervals: the same or different?",
  },
  {
    kind: "favourite",
    title: "Favourite",
    asks: "Which do I prefer? All shuffled; pick the best, round by round.",
  },
  { kind: "pairs", title: "Two at a time", asks: "Which do I prefer? Every pair in turn; pick the better." },
  { kind: "rating", title: "Rating", asks: "By how much? Grade each on a scale, shuffled each round." },
];

/** What the plan's form holds. */
export const planDraftSchema = z.object({
  kind: z.enum(["abx", "same-different", "favourite", "pairs", "rating"]),
  trials: z.number("Enter a number of trials.").int().min(FEWEST_TRIALS).max(MOST_TRIALS),
  effect: z.number(),
  power: z.number(),
  training: z.number().int().min(0).max(MOST_TRAINING),
  /** Seconds a trial; 0 for no limit. */
  limit: z.number().min(0),
  /** Runs that are judged together; 1 for a run by itself. */
  seriesRuns: z.number().int().min(1).max(MOST_SERIES_RUNS),
  freeLoop: z.boolean(),
  rounds: z.number("Enter a number of rounds.").int().min(FEWEST_ROUNDS).max(MOST_ROUNDS),
  ties: z.boolean(),
  scale: z.enum(SCALES),
  reference: z.boolean(),
  anchor: z.boolean(),
  overruled: z.boolean(),
});
export type PlanDraft = z.infer<typeof planDraftSchema>;

export const FIRST_DRAFT: PlanDraft = {
  kind: "abx",
  trials: 16,
  effect: 0.8,
  power: 0.8,
  training: 0,
  limit: 0,
  seriesRuns: 1,
  freeLoop: false,
  rounds: 8,
  ties: false,
  scale: "0 to 100",
  reference: true,
  anchor: false,
  overruled: false,
};

/** The plan a draft asks for, as the first run of its series where it asks for more than one. */
export function planOf(draft: PlanDraft): Plan {
  const loop = draft.freeLoop ? "free" : "fixed";
  const { kind, rounds, ties, scale } = draft;
  switch (kind) {
    case "abx":
    case "same-different": {
      const series: Series | null = draft.seriesRuns > 1 ? { id: newId(), runs: draft.seriesRuns, run: 1 } : null;
      const { trials, training, effect, limit } = draft;
      return planRightOrWrong({ kind, trials, training, effect, secondsPerTrial: limit || null, series, loop });
    }
    case "favourite":
    case "pairs":
      return planSchema.parse({ kind, rounds, ties, loop });
    case "rating":
      return planSchema.parse({ kind, rounds, scale, loop });
  }
}
