"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { CheckCircle2, CircleAlert } from "lucide-react";
import { useEffect, useState } from "react";
import { guessingProbability } from "@/core/blind/odds";
import { abxVerdict, repetitionSentence } from "@/core/blind/verdict";
import type { Run } from "@/store/records";
import { runsUpTo, sealHolds } from "@/store/runs";
import { NO_FIGURE, number } from "@/ui/format";

/** What a finished run says, in plain words, trial by trial, with its seal checked again. */
export function RunVerdict({ run }: { run: Run }) {
  if (!run.result) return null;
  const { headline, detail } = abxVerdict(run.plan, run.result);
  return (
    <article className="grid gap-3">
      <p className="text-[13px] text-soft">
        A is {run.here.title}, B is {run.yonder.title}, on {run.passageTitle}
      </p>
      <h1 className="font-semibold text-3xl" data-testid="verdict">
        {headline}
      </h1>
      <p className="max-w-prose text-[15px]" data-testid="verdict-detail">
        {detail}
      </p>
      <Repetition run={run} />
      {run.match.overruled && (
        <p className="text-warning">The level check was overruled: what was heard may have been level alone.</p>
      )}
      <TrialList run={run} />
      <p className="text-[13px] text-soft">
        d′{" "}
        <span className="figure">
          {run.result.dPrime === null ? "too large to tell" : number(run.result.dPrime, 2)}
        </span>
        {" · "}
        <SealState run={run} />
      </p>
    </article>
  );
}

/** A run that is not the first of its pair says so: repeating until one passes is no proof. */
function Repetition({ run }: { run: Run }) {
  const runs = useLiveQuery(() => runsUpTo(run), [run.id]);
  const sentence = runs
    ? repetitionSentence(
        runs.length,
        runs.map(({ plan }) => guessingProbability(plan.rightNeeded, plan.trials)),
      )
    : null;
  return sentence && <p className="max-w-prose text-warning">{sentence}</p>;
}

function TrialList({ run }: { run: Run }) {
  if (!run.opened || run.trials.length === 0) return null;
  const { order } = run.opened;
  return (
    <ol className="flex flex-wrap gap-1" aria-label="Trials">
      {run.trials.map((trial, i) => {
        const right = trial.answer === order[i];
        return (
          <li
            key={trial.answeredAt + String(i)}
            title={`Trial ${i + 1}: X was ${order[i]}, the answer ${trial.answer}`}
            className={`figure grid size-8 place-content-center rounded border text-center text-[11px] leading-tight ${
              right ? "border-success text-success" : "border-dashed border-error text-error"
            }`}
          >
            <span>{order[i]}</span>
            <span aria-hidden="true">{right ? "✓" : "✗"}</span>
            <span className="sr-only">{right ? "right" : "wrong"}</span>
          </li>
        );
      })}
    </ol>
  );
}

function SealState({ run }: { run: Run }) {
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
      the order opened now is the one sealed before trial 1 ({run.sealDigest.slice(0, 8)})
    </span>
  ) : (
    <span className="text-error">
      <CircleAlert size={13} className="mr-1 inline" aria-hidden="true" />
      the opened order does not fit its seal: do not trust this run
    </span>
  );
}
