"use client";

import type { UseFormReturn } from "react-hook-form";
import { trialsNeeded } from "@/core/blind/odds";
import {
  FEWEST_ROUNDS,
  FEWEST_TRIALS,
  MOST_ROUNDS,
  MOST_SERIES_RUNS,
  MOST_TRAINING,
  MOST_TRIALS,
  SCALES,
  SIGNIFICANCE_LEVEL,
} from "@/core/blind/plan";
import { PLAN_WORDS } from "@/core/words/blind-plan";
import { percentWords } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Choice } from "@/ui/shell/transport";
import type { PlanDraft } from "./plan-draft";

const EFFECTS = [0.6, 0.65, 0.7, 0.75, 0.8, 0.85, 0.9] as const;
const POWERS = [0.8, 0.9, 0.95] as const;
const LIMITS = [0, 10, 20, 30, 60, 120] as const;
const USUAL_ROUNDS = [1, 2, 3, 5, 8, 12] as const;

const SCALE_TITLES = { "0 to 100": "0 to 100", "five steps": "Five steps", impairment: "Impairment, 5 to 1" } as const;

type Form = UseFormReturn<PlanDraft>;

const upTo = (first: number, last: number): number[] => Array.from({ length: last - first + 1 }, (_, i) => first + i);

/** How often, how long, and on which scale. */
export function TrialsFields({ form, anchorPossible }: { form: Form; anchorPossible: boolean }) {
  const { kind } = form.watch();
  return (
    <div className="grid gap-2">
      {kind === "abx" || kind === "same-different" ? (
        <RightOrWrongFields form={form} />
      ) : (
        <RoundFields form={form} anchorPossible={anchorPossible} />
      )}
      <label className="flex items-center gap-2 text-[13px]">
        <input type="checkbox" className="checkbox checkbox-xs" {...form.register("freeLoop")} />
        Listeners may move the loop; its place is kept with each answer
      </label>
    </div>
  );
}

/** The trials that a smallest effect and a power ask for; null where that is more than a run holds. */
function trialsFor(effect: number, power: number): number | null {
  const { trials } = trialsNeeded(effect, power, SIGNIFICANCE_LEVEL);
  return trials <= MOST_TRIALS ? trials : null;
}

function RightOrWrongFields({ form }: { form: Form }) {
  const { effect, power, trials } = form.watch();
  const needed = trialsFor(effect, power);
  const setNumber = (key: "effect" | "power" | "limit" | "training" | "seriesRuns") => ({
    value: form.watch(key),
    onChange: (value: number) => form.setValue(key, value, { shouldValidate: true }),
  });
  return (
    <>
      <div className="flex flex-wrap items-center gap-2 text-[13px]">
        <span className="font-display font-semibold text-[14px]">{LABELS.trials}</span>
        <input
          type="number"
          aria-label={LABELS.numberOfTrials}
          min={FEWEST_TRIALS}
          max={MOST_TRIALS}
          className="input input-sm figure w-20 border-rule"
          {...form.register("trials", { valueAsNumber: true })}
        />
        <QuickSelect
          label={LABELS.shareCorrectToDetect}
          title="To detect"
          options={EFFECTS.map((value) => ({ value, title: percentWords(value) }))}
          {...setNumber("effect")}
        />
        <QuickSelect
          label="Power"
          title="correct with power"
          options={POWERS.map((value) => ({ value, title: percentWords(value) }))}
          {...setNumber("power")}
        />
        <span className="text-[13px] text-soft">:</span>
        {needed === null ? (
          <span className="text-[13px] text-warning">{PLAN_WORDS.beyond(MOST_TRIALS)}</span>
        ) : (
          <button
            type="button"
            aria-pressed={trials === needed}
            className={`btn btn-xs border-rule ${trials === needed ? "btn-primary" : "bg-base-100"}`}
            onClick={() => form.setValue("trials", needed, { shouldValidate: true })}
          >
            {needed} trials
          </button>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2 text-[13px]">
        <QuickSelect
          label={LABELS.trainingTrials}
          title="Training"
          options={upTo(0, MOST_TRAINING).map((n) => ({ value: n, title: n === 0 ? "none" : String(n) }))}
          {...setNumber("training")}
        />
        <QuickSelect
          label={LABELS.timeLimit}
          title="Time per trial"
          options={LIMITS.map((s) => ({ value: s, title: s === 0 ? "no limit" : `${s} s` }))}
          {...setNumber("limit")}
        />
        <QuickSelect
          label={LABELS.runsInTheSeries}
          title="Series"
          options={upTo(1, MOST_SERIES_RUNS).map((n) => ({
            value: n,
            title: n === 1 ? "this run alone" : `${n} runs, scored as one`,
          }))}
          {...setNumber("seriesRuns")}
        />
      </div>
    </>
  );
}

function RoundFields({ form, anchorPossible }: { form: Form; anchorPossible: boolean }) {
  const { kind, rounds, scale, ties, reference, anchor } = form.watch();
  return (
    <>
      <div className="flex flex-wrap items-center gap-2">
        <span className="font-display font-semibold">Rounds</span>
        {USUAL_ROUNDS.map((n) => (
          <button
            key={n}
            type="button"
            aria-pressed={rounds === n}
            className={`btn btn-xs figure w-9 border-rule ${rounds === n ? "btn-primary" : "bg-base-100"}`}
            onClick={() => form.setValue("rounds", n, { shouldValidate: true })}
          >
            {n}
          </button>
        ))}
        <input
          type="number"
          aria-label={LABELS.numberOfRounds}
          min={FEWEST_ROUNDS}
          max={MOST_ROUNDS}
          className="input input-sm figure w-20 border-rule"
          {...form.register("rounds", { valueAsNumber: true })}
        />
        {form.formState.errors.rounds && (
          <span className="text-[13px] text-error">{PLAN_WORDS.rounds(FEWEST_ROUNDS)}</span>
        )}
      </div>
      {kind === "rating" ? (
        <div className="flex flex-wrap items-center gap-3 text-[13px]">
          <Choice
            label="Scale"
            value={scale}
            onChange={(value) => form.setValue("scale", value)}
            options={SCALES.map((value) => ({ value, title: SCALE_TITLES[value] }))}
          />
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={reference}
              onChange={(event) => form.setValue("reference", event.target.checked)}
            />
            Dry as reference, also hidden
          </label>
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              disabled={!anchorPossible}
              checked={anchor && anchorPossible}
              onChange={(event) => form.setValue("anchor", event.target.checked)}
            />
            Anchor (3.5 kHz low-pass)
          </label>
        </div>
      ) : (
        <label className="flex items-center gap-1.5 text-[13px]">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={ties}
            onChange={(event) => form.setValue("ties", event.target.checked)}
          />
          Ties are allowed
        </label>
      )}
    </>
  );
}
