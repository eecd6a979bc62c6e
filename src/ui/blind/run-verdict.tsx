"use client";

import { useQuery } from "@tanstack/react-query";
import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import { CheckCircle2, CircleAlert } from "lucide-react";
import { useEffect, useState } from "react";
import type { Trial } from "@/core/blind/answer";
import { flawsOf, flawsOfAll } from "@/core/blind/flaws";
import { isRightOrWrong, type RightOrWrongPlan, testsOf } from "@/core/blind/plan";
import { sealHolds } from "@/core/blind/record";
import { isRight, type RightOrWrongResult } from "@/core/blind/result";
import type { Run } from "@/core/blind/run";
import {
  aboveHearingSentence,
  repetitionSentence,
  runVerdict,
  screeningSentence,
  seriesVerdict,
} from "@/core/words/blind";
import { listed, NO_FIGURE, number } from "@/core/words/units";
import { sightedBefore } from "@/store/moments";
import { keepResult, runsUpTo, seriesOf } from "@/store/runs";
import { LABELS } from "@/ui/labels";
import { WhatIs } from "@/ui/shell/what-is";
import { ChoiceFigures, GradeFigures } from "./figures-of-run";

const ROLE_WORDS = { candidate: "", reference: " (hidden reference)", anchor: "" } as const;

/** What the stimuli of a run are called, in its order. */
export const namesOf = (run: Run): string[] => run.stimuli.map(({ title, role }) => title + ROLE_WORDS[role]);

/** What a run is about, in a line. */
export function aboutRun(run: Run): string {
  const names = namesOf(run);
  if (isRightOrWrong(run.plan)) return `A is ${names[0]}, B is ${names[1]}, on ${run.passageTitle}`;
  return `${listed(names)}, on ${run.passageTitle}`;
}

/** What a finished run says, in plain words, trial by trial, with its seal checked again. */
export function RunVerdict({ run }: { run: Run }) {
  const series = useLiveQuery(() => seriesOf(run), [run.id, run.finishedAt]);
  const counting = run.opened !== null && run.result === null;
  // A page that was closed in between, or a worker that failed, left it undone.
  const { error, refetch } = useQuery({
    queryKey: ["result of a run", run.id],
    queryFn: () => keepResult(run.id).then(() => true),
    enabled: counting,
  });
  if (!series) return null;
  if (counting && error)
    return (
      <p role="alert" className="text-error">
        The answers are saved; p could not be computed: {error.message}{" "}
        <button type="button" className="btn btn-xs border-rule text-base-content" onClick={() => void refetch()}>
          Try again
        </button>
      </p>
    );
  if (counting) return <p className="text-soft">Computing p…</p>;
  if (!run.result) return <WaitingSeries run={run} begun={series.length} />;
  const { headline, detail } =
    series.length > 1 && isRightOrWrong(run.plan)
      ? seriesVerdict(
          run.plan,
          series.flatMap((r) => (r.result?.kind === "right or wrong" ? [r.result] : [])),
          flawsOfAll(series),
        )
      : runVerdict(run.plan, run.result, namesOf(run), flawsOf(run));
  const above = aboveHearingSentence(run.above, run.listener);
  return (
    <article className="grid gap-3">
      <p className="text-[13px] text-soft">
        {aboutRun(run)}
        {run.listener?.code && `, heard by ${run.listener.code}`}
      </p>
      <h1 className="font-semibold text-3xl" data-testid="verdict">
        {headline}
      </h1>
      <p className="max-w-prose text-[15px]" data-testid="verdict-detail">
        {detail}
      </p>
      {above && <p className="max-w-prose text-warning">{above}</p>}
      <Repetition run={run} />
      {run.overruled.map(({ name, said }) => (
        <p key={name} className="max-w-prose text-warning">
          Overruled before the run: {said}
        </p>
      ))}
      <Evidence run={run} />
      {run.passageId && <SightedBefore run={run} />}
      <p className="text-[13px] text-soft">
        {run.result.kind === "right or wrong" && <DPrime result={run.result} />}
        {run.trained.taken > 0 && `${run.trained.right} of ${run.trained.taken} correct in training, not counted · `}
        <SealState run={run} />
      </p>
    </article>
  );
}

function DPrime({ result }: { result: RightOrWrongResult }) {
  return (
    <>
      <WhatIs figure="dPrime">d′</WhatIs>{" "}
      <span className="figure">{result.dPrime === null ? "too large to compute" : number(result.dPrime, 2)}</span>
      {" · "}
    </>
  );
}

/** A run of a series that is not over: nothing is reported before all are. */
function WaitingSeries({ run, begun }: { run: Run; begun: number }) {
  const series = isRightOrWrong(run.plan) ? run.plan.series : null;
  return (
    <article className="grid gap-3">
      <p className="text-[13px] text-soft">
        {LABELS.on} {run.passageTitle}
      </p>
      <h1 className="font-semibold text-3xl" data-testid="verdict">
        {LABELS.savedAndStillSealed}
      </h1>
      <p className="max-w-prose" data-testid="verdict-detail">
        Run {series?.run ?? begun} of {series?.runs ?? begun} in a series declared beforehand. The score appears after
        the last.
      </p>
    </article>
  );
}

function Evidence({ run }: { run: Run }) {
  const { result } = run;
  if (result?.kind === "choices") return <ChoiceFigures tally={result.tally} names={namesOf(run)} />;
  if (result?.kind === "grades" && run.plan.kind === "rating") {
    const screened = screeningSentence(result.screening, run.listener?.code || undefined);
    return (
      <>
        {screened && <p className="max-w-prose text-warning">{screened}</p>}
        {result.grading && (
          <GradeFigures runs={[run]} grading={result.grading} names={namesOf(run)} scale={run.plan.scale} />
        )}
      </>
    );
  }
  return <TrialList run={run} />;
}

/** The runs of one pair are listed together; one that is not the first says so: repeating until one passes is no proof. */
function Repetition({ run }: { run: Run }) {
  const runs = useLiveQuery(() => runsUpTo(run), [run.id]) ?? [];
  const plans = runs.flatMap(({ plan }) => (isRightOrWrong(plan) ? [plan] : []));
  const sentence = isRightOrWrong(run.plan) ? repetitionSentence(testsOf(plans)) : null;
  if (!sentence) return null;
  return (
    <div className="max-w-prose text-warning">
      <p>{sentence} Runs count together only as a series, declared before the first.</p>
      <ol className="mt-1 flex flex-wrap gap-x-4 text-[13px] text-soft" aria-label="Runs of this pair">
        {runs.map(({ id, result, createdAt }) => (
          <li key={id} className="figure">
            {format(new Date(createdAt), "d MMM, HH:mm")}:{" "}
            {result?.kind === "right or wrong" ? `${result.right} of ${result.answered}` : "open"}
          </li>
        ))}
      </ol>
    </div>
  );
}

/** What was preferred with open eyes before the run, to be held against it. */
function SightedBefore({ run }: { run: Run }) {
  const before = useLiveQuery(() => sightedBefore(run), [run.id]);
  if (!before) return null;
  const { verdict, title } = before;
  return (
    <p className="max-w-prose text-soft" data-testid="sighted-before">
      Sighted, before this run: {title ? `${title} was preferred` : "no preference"}, {verdict.sure} % sure
      {verdict.why && `, because: ${verdict.why}`}.
    </p>
  );
}

/** What was there and what was said, in a letter or a word. */
function wordsOf(plan: RightOrWrongPlan, seats: readonly number[], { answer }: Trial): { truth: string; said: string } {
  const truth = plan.kind === "abx" ? (seats[1] === 0 ? "A" : "B") : seats[0] === seats[1] ? "same" : "different";
  const said = "side" in answer ? answer.side : "said" in answer ? answer.said : "no answer in time";
  return { truth, said };
}

function TrialList({ run }: { run: Run }) {
  const { plan, opened } = run;
  if (!opened || !isRightOrWrong(plan) || run.trials.length === 0) return null;
  return (
    <ol className="flex flex-wrap gap-1" aria-label={LABELS.trials}>
      {run.trials.map((trial, i) => {
        const right = isRight(plan, opened.order[i], trial);
        const { truth, said } = wordsOf(plan, opened.order[i], trial);
        return (
          <li
            key={trial.answeredAt + String(i)}
            title={`Trial ${i + 1}: truth ${truth}, answer ${said}`}
            className={`figure grid h-8 min-w-8 place-content-center rounded border px-1 text-center text-[11px] leading-tight ${
              right ? "border-success text-success" : "border-dashed border-error text-error"
            }`}
          >
            <span>{truth}</span>
            <span aria-hidden="true">{right ? "✓" : "✗"}</span>
            <span className="sr-only">{right ? "correct" : "not correct"}</span>
          </li>
        );
      })}
    </ol>
  );
}

/** Whether the order that is open now is the one that was sealed, checked afresh. */
export function SealState({ run }: { run: Run }) {
  const [holds, setHolds] = useState<boolean | null>(null);
  useEffect(() => {
    let current = true;
    void sealHolds(run).then((value) => current && setHolds(value));
    return () => {
      current = false;
    };
  }, [run]);
  if (holds === null) return <>{NO_FIGURE}</>;
  return holds ? (
    <span className="text-success">
      <CheckCircle2 size={13} className="mr-1 inline" aria-hidden="true" />
      the opened order matches the <WhatIs figure="seal">seal</WhatIs> ({run.sealDigest.slice(0, 8)})
      {run.signature ? "; signed in this browser" : ""}
    </span>
  ) : (
    <span className="text-error">
      <CircleAlert size={13} className="mr-1 inline" aria-hidden="true" />
      the opened order does not match its seal: do not trust this run
    </span>
  );
}
