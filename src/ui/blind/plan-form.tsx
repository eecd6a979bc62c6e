"use client";

import { zodResolver } from "@hookform/resolvers/zod";
import { CheckCircle2, CircleAlert, CircleX, Hourglass } from "lucide-react";
import { useRouter } from "next/navigation";
import { type ReactNode, useEffect, useState } from "react";
import { type UseFormReturn, useForm } from "react-hook-form";
import { LEAST_ANCHOR_RATE_HZ } from "@/core/blind/anchor";
import { mayBegin } from "@/core/blind/checks";
import { FEWEST_TRIALS, MOST_STIMULI, MOST_TRIALS, type Plan } from "@/core/blind/plan";
import { PLAN_WORDS } from "@/core/words/blind-plan";
import { clock } from "@/core/words/units";
import { setLoop, setMatch } from "@/store/comparisons";
import { listenerFor } from "@/store/listeners";
import type { Render } from "@/store/records";
import { beginRun, type RunDraft, tellWhereItLies } from "@/store/runs";
import { LABELS } from "@/ui/labels";
import { player } from "@/ui/shell/monitor";
import { Choice } from "@/ui/shell/transport";
import type { Results } from "@/ui/shell/use-results";
import { ListenerFields, useListener } from "./listener-fields";
import { OpenSeries, useOpenSeries } from "./open-series";
import { PackButton } from "./pack-button";
import { forgetPlanAhead, takePlanAhead } from "./plan-ahead";
import { FIRST_DRAFT, FORMS, type PlanDraft, planDraftSchema, planOf } from "./plan-draft";
import { PlanOdds } from "./plan-odds";
import { TrialsFields } from "./trials-fields";
import { type Planned, stimuliOf, usePlanned } from "./use-planned";

/** Everything that is fixed before a run: what is asked, of which renders, how often, where, and that it is fair. */
export function PlanForm({ results, children }: { results: Results; children: ReactNode }) {
  const { pair, comparison } = results;
  const router = useRouter();
  const [ahead] = useState(takePlanAhead);
  // Taken once: a form that is opened later begins as it always does.
  useEffect(forgetPlanAhead, []);
  const form = useForm<PlanDraft>({
    resolver: zodResolver(planDraftSchema),
    defaultValues: { ...FIRST_DRAFT, ...ahead?.draft },
    mode: "onChange",
  });
  const draft = form.watch();
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set(ahead?.leftOut));
  const listener = useListener();
  const chosen = useChosen(results, draft, left);
  const rating = draft.kind === "rating";
  const dry = pair?.dry;
  const heard = rating && draft.reference && dry ? [...chosen, dry] : chosen;
  const planned = usePlanned(results, heard);
  const open = useOpenSeries(results, draft, chosen);
  if (!pair || !dry) return null;

  const roles = { reference: rating && draft.reference, anchor: rating && draft.anchor };
  const stimuli = stimuliOf(results, chosen, roles);
  const problem = choiceProblem(draft, chosen, stimuli.length);
  const { checks, region, match } = planned;
  const overruled = draft.overruled && checks.some((c) => c.state === "warn");
  const may = problem === null && form.formState.isValid && mayBegin(checks, overruled) && region && match;
  const draftOf = (plan: Plan): RunDraft | null =>
    region && match
      ? {
          comparisonId: comparison.id,
          passageId: pair.passage.id,
          passageTitle: pair.passage.title,
          dryRenderId: dry.id,
          stimuli,
          reference: stimuli.find((s) => s.role === "reference") ?? null,
          region,
          sampleRateHz: dry.sampleRateHz,
          plan,
          match,
          overruled: overruled
            ? checks.flatMap(({ state, name, said }) => (state === "warn" ? [{ name, said }] : []))
            : [],
          listener: null,
          above: null,
          packId: null,
        }
      : null;
  const begin = async (plan: Plan) => {
    const fixed = draftOf(plan);
    if (!fixed) return;
    player.pause();
    const run = await beginRun({ ...fixed, listener: await listenerFor(listener.listener) });
    tellWhereItLies(run, dry);
    router.push(`/booth/${run.id}`);
  };
  const onSubmit = form.handleSubmit((values) => begin(planOf(values)));
  const { asks } = FORMS.find((f) => f.kind === draft.kind) ?? FORMS[0];

  return (
    <form onSubmit={onSubmit} className="grid max-w-[1160px] grid-cols-[1.15fr_1fr] gap-x-10 gap-y-3">
      <div className="grid content-start gap-3">
        <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <Choice
            label="Plan"
            value={draft.kind}
            onChange={(kind) => form.setValue("kind", kind, { shouldValidate: true })}
            options={FORMS.map(({ kind, title }) => ({ value: kind, title }))}
          />
        </div>
        <p className="text-soft">{asks}</p>
        <Among results={results} draft={draft} left={left} onLeft={setLeft} problem={problem} />
        <TrialsFields form={form} anchorPossible={dry.sampleRateHz >= LEAST_ANCHOR_RATE_HZ} />
        {form.formState.errors.trials && (
          <p className="text-[13px] text-error">{PLAN_WORDS.tooFewTrials(FEWEST_TRIALS, MOST_TRIALS)}</p>
        )}
        {region && (
          <p>
            <span className="font-display font-semibold">Stretch</span>{" "}
            {pair.passage.loop
              ? "The loop"
              : region.endFrame - region.startFrame === dry.frames
                ? "The whole passage"
                : "The part all renders cover"}
            , {clock(region.startFrame / dry.sampleRateHz)} to {clock(region.endFrame / dry.sampleRateHz)}.{" "}
            <span className="text-soft">Drag on the waveform to choose a few seconds.</span>
          </p>
        )}
        {open && <OpenSeries series={open} may={Boolean(may)} onGoOn={(plan) => void begin(plan)} />}
        <div className="flex flex-wrap items-center gap-3">
          <button type="submit" className="btn btn-primary" disabled={!may}>
            {LABELS.sealTheOrderAndBegin}
          </button>
          <PackButton
            may={Boolean(may)}
            dry={dry}
            title={comparison.title}
            draftOf={() => draftOf(planOf({ ...draft, seriesRuns: 1 }))}
          />
          <span className="text-[13px] text-soft">No score before the end.</span>
        </div>
        {children}
      </div>
      <div className="grid content-start gap-4">
        <PlanOdds draft={draft} stimuli={stimuli.length} />
        <section className="grid gap-1.5">
          <h2 className="font-display font-semibold">Fairness checks</h2>
          <Checks planned={planned} form={form} results={results} />
        </section>
        <ListenerFields {...listener} />
      </div>
    </form>
  );
}

const isOfTwo = ({ kind }: Pick<PlanDraft, "kind">): boolean => kind === "abx" || kind === "same-different";

/** The renders a run is over: the pair where the form is one of two, else those of the passage that were not left out. */
function useChosen({ pair }: Results, draft: PlanDraft, left: ReadonlySet<string>): Render[] {
  if (!pair) return [];
  if (isOfTwo(draft)) return [pair.here, pair.yonder];
  const isReference = (r: Render) => draft.kind === "rating" && draft.reference && r.id === pair.dry.id;
  return pair.renders.filter((r) => !left.has(r.id) && !isReference(r));
}

/** What is wrong with the choice of renders; null where nothing is. */
function choiceProblem(draft: PlanDraft, chosen: readonly Render[], stimuli: number): string | null {
  if (isOfTwo(draft))
    return chosen[0]?.id === chosen[1]?.id ? "Here and Yonder are the same render. Choose two in the pair bar." : null;
  if (stimuli < 2 || chosen.length < 1) return "Choose two renders or more.";
  return stimuli > MOST_STIMULI ? `At most ${MOST_STIMULI} at a time: leave some out.` : null;
}

/** Which renders take part. */
function Among(props: {
  results: Results;
  draft: PlanDraft;
  left: ReadonlySet<string>;
  onLeft: (left: ReadonlySet<string>) => void;
  problem: string | null;
}) {
  const { results, draft, left, onLeft, problem } = props;
  const { pair, titleOf } = results;
  if (!pair) return null;
  const toggle = (id: string) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    onLeft(next);
  };
  return (
    <div className="grid gap-1">
      {isOfTwo(draft) ? (
        <p>
          <span className="font-display font-semibold">Between</span> {titleOf(pair.here)}{" "}
          <span className="text-soft">(Here)</span> and {titleOf(pair.yonder)}{" "}
          <span className="text-soft">(Yonder)</span>
        </p>
      ) : (
        <fieldset className="flex flex-wrap items-center gap-1.5">
          <legend className="sr-only">{LABELS.rendersInThisRun}</legend>
          <span className="font-display font-semibold">Among</span>
          {pair.renders.map((render) => {
            const reference = draft.kind === "rating" && draft.reference && render.id === pair.dry.id;
            const takesPart = !reference && !left.has(render.id);
            return (
              <button
                key={render.id}
                type="button"
                aria-pressed={takesPart}
                disabled={reference}
                title={reference ? "The reference, also hidden among the others" : undefined}
                className={`btn btn-xs border-rule ${takesPart ? "btn-primary" : "bg-transparent"}`}
                onClick={() => toggle(render.id)}
              >
                {titleOf(render)}
              </button>
            );
          })}
        </fieldset>
      )}
      {problem && <p className="text-warning">{problem}</p>}
    </div>
  );
}

const CHECK_ICONS = { fine: CheckCircle2, wait: Hourglass, warn: CircleAlert, stop: CircleX } as const;
const CHECK_COLOURS = { fine: "text-success", wait: "text-soft", warn: "text-warning", stop: "text-error" } as const;

/** What has to hold before the run, check by check, and the ways out. */
function Checks(props: { planned: Planned; form: UseFormReturn<PlanDraft>; results: Results }) {
  const { planned, form, results } = props;
  const { checks, common } = planned;
  const { pair } = results;
  const bad = checks.filter((c) => c.state !== "fine");
  const levelOff = checks.some((c) => c.name === "level" && c.state === "warn");
  const lacking = checks.some((c) => c.name === "coverage" && c.state === "stop");
  return (
    <div className="grid gap-1.5">
      <ul aria-label="Checks before the run" className="grid gap-0.5 text-[13px]">
        {checks.map(({ name, state, said }) => {
          const Icon = CHECK_ICONS[state];
          return (
            <li key={name} data-check={name} data-state={state} className="flex items-start gap-1.5">
              <Icon size={14} className={`mt-0.5 shrink-0 ${CHECK_COLOURS[state]}`} aria-label={state} />
              <span className={state === "fine" ? "text-soft" : CHECK_COLOURS[state]}>{said}</span>
            </li>
          );
        })}
      </ul>
      {pair && levelOff && pair.passage.match.over === "passage" && pair.passage.loop && (
        <button
          type="button"
          className="btn btn-sm w-fit border-rule bg-base-100"
          onClick={() => void setMatch(pair.passage.id, { over: "loop" })}
        >
          {LABELS.matchOverTheLoopInstead}
        </button>
      )}
      {pair && lacking && common && (
        <button
          type="button"
          className="btn btn-sm w-fit border-rule bg-base-100"
          onClick={() => void setLoop(pair.passage.id, common)}
        >
          Use the part all renders cover
        </button>
      )}
      {bad.length > 0 && bad.every((c) => c.state === "warn") && (
        <label className="flex items-center gap-2">
          <input type="checkbox" className="checkbox checkbox-sm" {...form.register("overruled")} />
          Begin anyway; the record says so.
        </label>
      )}
    </div>
  );
}
