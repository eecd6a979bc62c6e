"use client";

import { useQueries } from "@tanstack/react-query";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useCallback } from "react";
import type { Moment } from "@/core/audibility/heard";
import { cellOf, type OpenBook } from "@/core/findings/book";
import type { Asked, NextRun, WhatNext } from "@/core/findings/next-runs";
import { clock, plural } from "@/core/words/units";
import { type HeardPair, tellingMoment } from "@/store/book";
import { setLoop, setPair, showPassage } from "@/store/comparisons";
import { planAhead } from "@/ui/blind/plan-ahead";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { stopPath } from "@/ui/shell/stops";
import { laidKey } from "@/ui/shell/use-results";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench, type Workbench } from "@/ui/shell/workbench";

const SHARES = [0.6, 0.7, 0.8, 0.9].map((value) => ({ value, title: `${Math.round(100 * value)} %` }));
/** A loop shorter than this has nothing around the moment to hear it against. */
const SHORTEST_LOOP_SECONDS = 2.5;

/** The run that would settle each open question at least cost, one press from the booth. */
export function NextPanel({
  book,
  next,
  asked,
  onAsked,
}: {
  book: OpenBook;
  next: WhatNext;
  asked: Asked;
  onAsked: (asked: Asked) => void;
}) {
  const workbench = useWorkbench();
  const router = useRouter();
  const pairs = next.runs.map((run) => pairOfRun(workbench, book, run));
  const moments = useQueries({
    queries: pairs.map((pair) => ({
      queryKey: pair
        ? [
            "most audible moment",
            pair.passage.match,
            ...laidKey(pair.here, pair.dry),
            ...laidKey(pair.yonder, pair.dry),
          ]
        : ["most audible moment"],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        pair ? tellingMoment(pair, { signal, rank: "background" }) : null,
    })),
    combine: useCallback((all: { data: Moment | null | undefined }[]) => all.map((r) => r.data), []),
  });
  const plan = async (run: NextRun, pair: HeardPair | null, moment: Moment | null | undefined) => {
    if (!pair) return;
    const { passage, here, yonder, dry } = pair;
    await showPassage(workbench.comparison.id, passage.id);
    await setPair(passage.id, here.id, yonder.id);
    if (moment) await setLoop(passage.id, loopAround(moment, dry.sampleRateHz, dry.frames));
    const own = workbench.renders.filter((r) => r.passageId === passage.id);
    planAhead({
      draft: run.form === "abx" ? { kind: "abx", trials: run.count, ...asked } : { kind: "pairs", rounds: run.count },
      leftOut: own.map(({ id }) => id).filter((id) => id !== here.id && id !== yonder.id),
    });
    router.push(stopPath(workbench.comparison.id, "blind"));
  };
  const isEmpty = next.runs.length === 0 && next.waiting.length === 0 && next.settled.length === 0;
  return (
    <div className="grid content-start gap-2.5 overflow-auto text-[13px]">
      <div className="flex flex-wrap items-center gap-x-1.5 gap-y-1 text-[12px] text-soft">
        <WhatIs figure="nextRun">To detect</WhatIs>
        <QuickSelect
          label={LABELS.shareCorrectToDetect}
          value={asked.effect}
          options={SHARES}
          onChange={(effect) => onAsked({ ...asked, effect })}
        />
        correct, with power
        <QuickSelect
          label="Power"
          value={asked.power}
          options={SHARES}
          onChange={(power) => onAsked({ ...asked, power })}
        />
        .
      </div>
      {isEmpty && (
        <p className="text-soft">
          No open question. A sighted verdict at Listen, or a verdict in the matrix, opens one.
        </p>
      )}
      {next.waiting.map(({ runId, passageId }) => (
        <p key={runId} data-testid="next">
          A run on {book.passageTitleOf(passageId)} is unfinished.{" "}
          <Link className="link" href={`/booth/${runId}`}>
            {LABELS.continue}
          </Link>
        </p>
      ))}
      {next.runs.map((run, i) => (
        <article
          key={`${run.passageId} ${run.form} ${run.candidateIds.join()}`}
          className="grid gap-1"
          data-testid="next"
        >
          <p className="font-medium">{run.question}</p>
          <p className="text-soft">
            {run.form === "abx" ? `ABX, ${plural(run.count, "trial")}` : `Two at a time, ${plural(run.count, "round")}`}
            , about {plural(run.minutes, "minute")}
            {moments[i] && `, around ${clock(moments[i].startSeconds)}, most audible there by estimate`}. {run.why}
          </p>
          <button
            type="button"
            className="btn btn-xs w-fit border-rule bg-base-100"
            disabled={!pairs[i]}
            onClick={() => void plan(run, pairs[i], moments[i])}
          >
            {LABELS.planIt}
          </button>
        </article>
      ))}
      {next.settled.length > 0 && (
        <section className="grid gap-1 border-faint border-t pt-2">
          <h3 className="font-display font-semibold">Where more trials will not help</h3>
          {next.settled.map(({ says }) => (
            <p key={says} className="text-soft" data-testid="settled">
              {says}
            </p>
          ))}
        </section>
      )}
    </div>
  );
}

function pairOfRun(
  { passages, renders }: Workbench,
  book: OpenBook,
  { passageId, candidateIds }: NextRun,
): HeardPair | null {
  const passage = passages.find((p) => p.id === passageId);
  const renderOf = (candidateId: string) =>
    renders.find((r) => r.id === cellOf(book, passageId, candidateId)?.renderId);
  const dry = renders.find((r) => r.id === passage?.dryRenderId);
  const [here, yonder] = candidateIds.map(renderOf);
  return passage && here && yonder && dry ? { passage, here, yonder, dry } : null;
}

/** The moment with something before and after it, within the passage. */
function loopAround({ startSeconds, endSeconds }: Moment, rateHz: number, frames: number) {
  const middle = (startSeconds + endSeconds) / 2;
  const half = Math.max(SHORTEST_LOOP_SECONDS, endSeconds - startSeconds) / 2;
  const start = Math.max(0, Math.min(frames - 2 * half * rateHz, (middle - half) * rateHz));
  return { startFrame: Math.round(start), endFrame: Math.min(frames, Math.round(start + 2 * half * rateHz)) };
}
