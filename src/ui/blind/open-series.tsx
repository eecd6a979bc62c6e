"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { isRightOrWrong, type Plan, type RightOrWrongPlan } from "@/core/blind/plan";
import type { Run } from "@/core/blind/run";
import { database } from "@/store/database";
import type { Render } from "@/store/records";
import { contentOf, seriesOf } from "@/store/runs";
import type { Results } from "@/ui/shell/use-results";
import type { PlanDraft } from "./plan-draft";

/** The series of runs that waits for its next one, over these renders in this form; null where none does. */
export function useOpenSeries(
  { comparison, pair }: Results,
  { kind }: PlanDraft,
  chosen: readonly Render[],
): Run[] | null {
  const hashes = contentOf(chosen);
  const passageId = pair?.passage.id;
  return (
    useLiveQuery(async () => {
      const runs = await database.runs.where({ comparisonId: comparison.id }).toArray();
      const own = runs.find(
        (run) =>
          isRightOrWrong(run.plan) &&
          run.plan.kind === kind &&
          run.plan.series?.run === 1 &&
          run.passageId === passageId &&
          run.opened === null &&
          contentOf(run.stimuli) === hashes,
      );
      if (!own) return null;
      const series = await seriesOf(own);
      const { runs: planned = 0 } = (own.plan as RightOrWrongPlan).series ?? {};
      return series.every((r) => r.finishedAt !== null) && series.length < planned ? series : null;
    }, [comparison.id, kind, hashes, passageId]) ?? null
  );
}

/** Offers the next run of a series that was begun, on the plan it was begun with. */
export function OpenSeries({ series, may, onGoOn }: { series: Run[]; may: boolean; onGoOn: (plan: Plan) => void }) {
  const plan = series[0].plan as RightOrWrongPlan;
  if (!plan.series) return null;
  const { runs } = plan.series;
  const next = series.length + 1;
  return (
    <div className="flex items-center gap-3 rounded-lg border border-rule bg-base-100 px-3 py-2">
      <span className="flex-1">
        {series.length} of {runs} runs scored as one series {series.length === 1 ? "is" : "are"} over.
      </span>
      <button
        type="button"
        className="btn btn-sm btn-primary"
        disabled={!may}
        onClick={() => onGoOn({ ...plan, series: { ...plan.series, id: plan.series?.id ?? "", runs, run: next } })}
      >
        Begin run {next} of {runs}
      </button>
    </div>
  );
}
