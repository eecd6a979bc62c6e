import padjust from "@stdlib/stats-padjust";
import { choicesOf, type Tally, tallyFavourites, tallyPairs } from "./favourite";
import { guessingProbability } from "./odds";
import { isRightOrWrong, SIGNIFICANCE_LEVEL } from "./plan";
import { type Grading, gradingOf, roundsOf, type Screening, screeningOf } from "./rating";
import { isRight } from "./result";
import { type Run, rolesOf } from "./run";

export type ListenerRow = {
  code: string;
  runs: number;
  /** Planned trials, all of them: one that was not taken counts as not right. */
  trials: number;
  right: number;
  p: number;
  /** After Holm, over all listeners and all of them together. */
  corrected: number;
  hears: boolean;
};

export type PooledScore = {
  rows: ListenerRow[];
  right: number;
  trials: number;
  p: number;
  /** The same after Holm, over all listeners and all of them together. */
  corrected: number;
  someoneHears: boolean;
};

const codeOf = ({ listener }: Run): string => listener?.code.trim() || "no code";

/**
 * Right answers of several listeners to one plan: each by itself, and all together. All of these tests are corrected together after Holm (1979), so
 * that listeners who guess make a headline in no more than 5 of 100 packs.
 */
export function pooledScore(runs: readonly Run[]): PooledScore {
  const byCode = new Map<string, { runs: number; trials: number; right: number }>();
  for (const run of runs) {
    if (!isRightOrWrong(run.plan) || !run.opened) continue;
    const { plan, opened } = run;
    const known = byCode.get(codeOf(run)) ?? { runs: 0, trials: 0, right: 0 };
    byCode.set(codeOf(run), {
      runs: known.runs + 1,
      trials: known.trials + plan.trials,
      right: known.right + run.trials.filter((trial, i) => isRight(plan, opened.order[i], trial)).length,
    });
  }
  const rows = [...byCode].map(([code, row]) => ({ code, ...row, p: guessingProbability(row.right, row.trials) }));
  const right = rows.reduce((sum, r) => sum + r.right, 0);
  const trials = rows.reduce((sum, r) => sum + r.trials, 0);
  const p = guessingProbability(right, trials);
  // One listener alone is all of them together.
  const all = rows.length > 1 ? padjust([p, ...rows.map((r) => r.p)], "holm") : [p, p];
  const hears = (corrected: number) => corrected <= SIGNIFICANCE_LEVEL;
  return {
    rows: rows.map((row, i) => ({ ...row, corrected: all[i + 1], hears: hears(all[i + 1]) })),
    right,
    trials,
    p,
    corrected: all[0],
    someoneHears: hears(all[0]),
  };
}

/** Favourites of several listeners, all choices together. */
export function pooledTally(runs: readonly Run[]): Tally | null {
  const first = runs[0];
  if (!first) return null;
  const choices = runs.flatMap(({ opened, trials }) => (opened ? choicesOf(opened.order, trials) : []));
  return (first.plan.kind === "pairs" ? tallyPairs : tallyFavourites)(choices, first.stimuli.length);
}

export type PooledGrading = { grading: Grading | null; screened: { code: string; screening: Screening }[] };

/** Grades of several listeners, all rounds together; those reported of by the screening stay in. */
export function pooledGrading(runs: readonly Run[]): PooledGrading {
  const first = runs[0];
  if (first?.plan.kind !== "rating") return { grading: null, screened: [] };
  const { scale } = first.plan;
  const roles = rolesOf(first);
  const placeOf = (role: "reference" | "anchor") => (roles.includes(role) ? roles.indexOf(role) : null);
  const rounds = runs.flatMap((run) => (run.opened ? roundsOf(run.opened.order, run.trials, codeOf(run)) : []));
  const codes = [...new Set(rounds.map((r) => r.listener))];
  return {
    grading: gradingOf(rounds, first.stimuli.length),
    screened: codes
      .map((code) => ({
        code,
        screening: screeningOf(
          rounds.filter((r) => r.listener === code),
          scale,
          placeOf("reference"),
          placeOf("anchor"),
        ),
      }))
      .filter(({ screening }) => screening.told),
  };
}
