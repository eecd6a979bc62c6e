"use client";

import { zodResolver } from "@hookform/resolvers/zod";
import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useForm } from "react-hook-form";
import { z } from "zod";
import { type Alignment, AS_IT_IS, type Placement, placementOf, placementSchema } from "@/core/alignment/alignment";
import { FEWEST_TRIALS, MOST_TRIALS, SIGNIFICANCE_LEVEL } from "@/core/blind/abx";
import { chanceOfAtLeast, fewestRight, trialsNeeded } from "@/core/blind/odds";
import { setLoop, setMatch } from "@/store/comparisons";
import { database } from "@/store/database";
import type { Region, Render } from "@/store/records";
import { beginRun } from "@/store/runs";
import { clock, number, plural, signed, withUnit } from "@/ui/format";
import { player } from "@/ui/shell/monitor";
import { StopHeading } from "@/ui/shell/stop-heading";
import { type Results, useResults } from "@/ui/shell/use-results";
import { type LevelCheck, levelCheckOf } from "./level-check";

const planFormSchema = z.object({
  trials: z.number("Give a number of trials.").int().min(FEWEST_TRIALS).max(MOST_TRIALS),
  overruled: z.boolean(),
});
type PlanForm = z.infer<typeof planFormSchema>;

const USUAL_TRIALS = [10, 16, 24, 40] as const;
/** Listeners of these abilities are told how likely the plan is to catch them. */
const ABILITIES = [0.6, 0.7, 0.8, 0.9] as const;

const POWER = 0.8;
/** Trials that catch each of them with that chance. */
const NEEDED = ABILITIES.map((ability, i) => {
  const { trials } = trialsNeeded(ability, POWER, SIGNIFICANCE_LEVEL);
  const share = withUnit(number(100 * ability, 0), "%");
  return i === 0 ? `${trials} trials for someone right ${share} of the time` : `${trials} at ${share}`;
}).join(", ");

/** Plan an ABX run on the pair: can you tell Here from Yonder? */
export function BlindStop() {
  const workbench = useResults();
  const { pair, titleOf, alignments } = workbench;
  const open = useOpenRuns(workbench.comparison.id);
  if (!pair)
    return <p className="p-5 text-soft">No pair yet. Go to Gather and add two renders of the same material.</p>;
  const same = pair.here.id === pair.yonder.id;
  const lost = [pair.here, pair.yonder].filter((r) => alignments.get(r.id)?.found === false);
  return (
    <section className="flex h-full flex-col gap-4 overflow-auto px-5 py-3.5">
      <StopHeading title="Blind">
        ABX: is X {titleOf(pair.here)} or {titleOf(pair.yonder)}? The plan is fixed before the first trial.
      </StopHeading>
      {open.map((run) => (
        <div key={run.id} className="flex items-center gap-3 rounded-lg border border-rule bg-base-100 px-4 py-2.5">
          <span className="flex-1">
            A run on {run.passageTitle} waits at trial {run.trials.length + 1} of {run.plan.trials}.
          </span>
          <Link className="btn btn-primary btn-sm" href={`/booth/${run.id}`}>
            Go on
          </Link>
        </div>
      ))}
      {same && <p className="text-warning">Here and Yonder are the same render. Choose two in the bar above.</p>}
      {lost.map((render) => (
        <LostRender key={render.id} render={render} title={titleOf(render)} />
      ))}
      {!same && lost.length === 0 && <PlanCard />}
    </section>
  );
}

function useOpenRuns(comparisonId: string) {
  return (
    useLiveQuery(
      () =>
        database.runs
          .where({ comparisonId })
          .filter((run) => run.finishedAt === null)
          .toArray(),
      [comparisonId],
    ) ?? []
  );
}

function LostRender({ render, title }: { render: Render; title: string }) {
  return (
    <p className="text-error">
      {title} ({render.fileName}) could not be put in step, so a run would be won by the jump in time. Choose another
      render, or add one made from the same passage.
    </p>
  );
}

function PlanCard() {
  const workbench = useResults();
  const { pair, region, match, comparison, alignments, titleOf } = workbench;
  const router = useRouter();
  const form = useForm<PlanForm>({
    resolver: zodResolver(planFormSchema),
    defaultValues: { trials: 16, overruled: false },
    mode: "onChange",
  });
  const trials = form.watch("trials");
  const overruled = form.watch("overruled");
  const check = levelCheckOf(workbench);
  const shared = lackingPart(workbench);
  // A loop is what a person asked for and is not cut without a word; the whole passage is what both have of it.
  const lacking = shared && (pair?.passage.loop || shared.endFrame <= shared.startFrame) ? shared : null;
  const runRegion = shared && !lacking ? shared : region;
  const mayStart =
    !lacking && form.formState.isValid && (check.state === "fair" || (check.state !== "measuring" && overruled));
  if (!pair || !region || !runRegion || !match) return null;

  const sideOf = (render: Render) => ({
    renderId: render.id,
    title: titleOf(render),
    audioHash: render.audioHash,
    fileName: render.fileName,
    placement: alignmentPlacement(alignments.get(render.id)),
  });
  const begin = form.handleSubmit(async (plan) => {
    player.pause();
    const gainOf = (render: Render) => match.renders.get(render.id)?.gainDb ?? 0;
    const run = await beginRun({
      comparisonId: comparison.id,
      passageId: pair.passage.id,
      passageTitle: pair.passage.title,
      dryRenderId: pair.dry.id,
      here: sideOf(pair.here),
      yonder: sideOf(pair.yonder),
      region: runRegion,
      sampleRateHz: pair.dry.sampleRateHz,
      trials: plan.trials,
      match: {
        over: pair.passage.match.over === "loop" && pair.passage.loop ? "loop" : "passage",
        method: match.method,
        hereGainDb: gainOf(pair.here),
        yonderGainDb: gainOf(pair.yonder),
        edgeLu: gainOf(pair.here) - gainOf(pair.yonder),
        remainingLu: "remaining" in check ? check.remaining : null,
        overruled: check.state !== "fair",
      },
    });
    router.push(`/booth/${run.id}`);
  });

  return (
    <form onSubmit={begin} className="grid max-w-[1100px] grid-cols-[1fr_1fr] gap-x-12 gap-y-4">
      <div className="grid content-start gap-4">
        <fieldset className="grid gap-1.5">
          <legend className="mb-1.5 font-display font-semibold">Trials</legend>
          <div className="flex items-center gap-2">
            {USUAL_TRIALS.map((n) => (
              <button
                key={n}
                type="button"
                aria-pressed={trials === n}
                className={`btn btn-sm figure w-12 border-rule ${trials === n ? "btn-primary" : "bg-base-100"}`}
                onClick={() => form.setValue("trials", n, { shouldValidate: true })}
              >
                {n}
              </button>
            ))}
            <input
              type="number"
              aria-label="Number of trials"
              min={FEWEST_TRIALS}
              max={MOST_TRIALS}
              className="input input-sm figure w-24 border-rule"
              {...form.register("trials", { valueAsNumber: true })}
            />
          </div>
          {form.formState.errors.trials && (
            <p className="text-[13px] text-error">
              Between {FEWEST_TRIALS} and {MOST_TRIALS} trials: with fewer, even all right proves nothing at 5 %.
            </p>
          )}
        </fieldset>
        <div>
          <h2 className="font-display font-semibold">Where</h2>
          <p>
            {pair.passage.loop
              ? "The loop"
              : runRegion === region
                ? "The whole passage"
                : "What both have of the passage"}
            , {clock(runRegion.startFrame / pair.dry.sampleRateHz)} to{" "}
            {clock(runRegion.endFrame / pair.dry.sampleRateHz)}.{" "}
            <span className="text-soft">Drag on the waveform below to choose a few seconds.</span>
          </p>
        </div>
        {lacking && pair && <LackingPart part={lacking} passageId={pair.passage.id} rateHz={pair.dry.sampleRateHz} />}
        {/* Over a stretch that one side lacks there is no run, and no level to match. */}
        {!lacking && (
          <>
            <LevelCheckLines check={check} />
            {check.state === "unfair" && pair.passage.match.over === "passage" && pair.passage.loop && (
              <button
                type="button"
                className="btn btn-sm w-fit border-rule bg-base-100"
                onClick={() => void setMatch(pair.passage, { over: "loop" })}
              >
                Match over the loop instead
              </button>
            )}
            {(check.state === "unfair" || check.state === "no figure") && (
              <label className="flex items-center gap-2">
                <input type="checkbox" className="checkbox checkbox-sm" {...form.register("overruled")} />
                Begin all the same; the run will say so.
              </label>
            )}
          </>
        )}
        <div className="flex items-center gap-3">
          <button type="submit" className="btn btn-primary" disabled={!mayStart}>
            Seal the order and begin
          </button>
          <span className="text-[13px] text-soft">No score is shown before the last trial.</span>
        </div>
      </div>
      <PlanOdds trials={trials} />
    </form>
  );
}

/** Less than this missing at an end cannot be told by its silence. */
const UNHEARD_SECONDS = 0.005;

/** The stretch both sides have, where that is less than the run would be played over; null where nothing is lacking. */
function lackingPart({ pair, region, figures }: Results): Region | null {
  if (!pair || !region || !figures) return null;
  const { judged } = figures;
  const missing = Math.max(judged.startFrame - region.startFrame, region.endFrame - judged.endFrame);
  return missing > UNHEARD_SECONDS * pair.dry.sampleRateHz ? judged : null;
}

function LackingPart({ part, passageId, rateHz }: { part: Region; passageId: string; rateHz: number }) {
  const none = part.endFrame <= part.startFrame;
  return (
    <div className="grid gap-1.5">
      <p className="text-warning">
        One side lacks a part of this stretch, and would be told by its silence.{" "}
        {none
          ? "There is nothing here that both have. Choose another part."
          : `Both have ${clock(part.startFrame / rateHz)} to ${clock(part.endFrame / rateHz)}.`}
      </p>
      {!none && (
        <button
          type="button"
          className="btn btn-sm w-fit border-rule bg-base-100"
          onClick={() => void setLoop(passageId, part)}
        >
          Run over what both have
        </button>
      )}
    </div>
  );
}

/** What brings a render in step now, to be kept with the run. */
const alignmentPlacement = (alignment: Alignment | undefined): Placement =>
  alignment ? placementSchema.parse(placementOf(alignment)) : AS_IT_IS;

function LevelCheckLines({ check }: { check: LevelCheck }) {
  return (
    <div>
      <h2 className="font-display font-semibold">Level</h2>
      {check.state === "measuring" && <p className="text-soft">Measuring what is left between the two…</p>}
      {check.state === "no figure" && (
        <p className="text-warning">One side is silent here, so there is no level to match. Choose another part.</p>
      )}
      {check.state === "fair" && (
        <p>
          <span className="figure">{withUnit(signed(check.remaining, 2), check.unit)}</span> is left after matching:
          fair.
        </p>
      )}
      {check.state === "unfair" && (
        <p className="text-warning">
          Yonder is still <span className="figure">{withUnit(number(Math.abs(check.remaining), 2), check.unit)}</span>{" "}
          {check.remaining > 0 ? "louder" : "quieter"} here. Over 0.1 can be heard as level, and would decide the run.
        </p>
      )}
    </div>
  );
}

function PlanOdds({ trials }: { trials: number }) {
  const valid = Number.isInteger(trials) && trials >= FEWEST_TRIALS && trials <= MOST_TRIALS;
  const right = valid ? fewestRight(trials, SIGNIFICANCE_LEVEL) : null;
  if (right === null) return <div />;
  return (
    <div className="grid content-start gap-3" data-testid="plan-odds">
      <h2 className="font-display font-semibold">What it takes</h2>
      <p>
        <span className="figure text-[22px]">{right}</span> of <span className="figure text-[22px]">{trials}</span>{" "}
        right are needed: {plural(right, "right answer")} or more come to a guesser in{" "}
        <span className="figure">{withUnit(number(100 * chanceOfAtLeast(right, trials, 0.5), 1), "%")}</span> of runs.
      </p>
      <table className="table table-xs w-fit">
        <thead>
          <tr className="text-soft">
            <th>A listener who is right</th>
            <th>passes this plan</th>
          </tr>
        </thead>
        <tbody>
          {ABILITIES.map((ability) => {
            const power = chanceOfAtLeast(right, trials, ability);
            return (
              <tr key={ability}>
                <td className="figure">{withUnit(number(ability * 100, 0), "%")} of the time</td>
                <td className="figure">
                  {withUnit(number(100 * power, 0), "%")}
                  <span
                    className="ml-2 inline-block h-1.5 bg-soft align-middle"
                    style={{ width: `${Math.round(100 * power)}px` }}
                    aria-hidden="true"
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="text-[13px] text-soft">
        For an {withUnit(number(100 * POWER, 0), "%")} chance to pass: {NEEDED}.
      </p>
    </div>
  );
}
