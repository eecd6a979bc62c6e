"use client";

import { useLiveQuery } from "dexie-react-hooks";
import Link from "next/link";
import { useCallback, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import type { Answer } from "@/core/blind/answer";
import { isRightOrWrong, type RightOrWrongPlan, trialCount } from "@/core/blind/plan";
import { isRight } from "@/core/blind/result";
import type { Run } from "@/core/blind/run";
import { clock } from "@/core/words/units";
import { database } from "@/store/database";
import { guestComparisonId } from "@/store/packs";
import { answerTrial, hiddenSeats, keepTraining, leaveRun, trainingSeats } from "@/store/runs";
import { LABELS } from "@/ui/labels";
import { FreeLoop, TimeLimit, TrialDots, useSeatKeys } from "./booth-parts";
import { Commitment } from "./commitment";
import { RunVerdict, SealState } from "./run-verdict";
import { SaveRun } from "./save-run";
import { trialWord } from "./seats";
import { ChoiceTrial } from "./trial-choice";
import { RatingTrial } from "./trial-rating";
import { RightOrWrongTrial } from "./trial-right-or-wrong";
import { useBoothPlayer } from "./use-booth-player";

/** The bare screen of a blind run. */
export function Booth({ runId }: { runId: string }) {
  const run = useLiveQuery(async () => (await database.runs.get(runId)) ?? null, [runId]);
  if (run === undefined) return null;
  if (run === null) {
    return (
      <main className="grid min-h-screen place-content-center gap-3">
        <h1 className="font-semibold text-2xl">{LABELS.thisRunIsNotInThisBrowser}</h1>
        <Link className="link" href="/?list">
          {LABELS.allComparisons}
        </Link>
      </main>
    );
  }
  return run.finishedAt ? <AfterRun run={run} /> : <OpenRun run={run} />;
}

/** Where a run was planned: its comparison, or the pack it was taken from. */
const isGuest = ({ packId, comparisonId }: Run): boolean =>
  packId !== null && comparisonId === guestComparisonId(packId);
const homeOf = (run: Run): string => (isGuest(run) ? `/pack/${run.packId}` : `/comparison/${run.comparisonId}/blind`);

/** A guest is told nothing of how it went: who knows may choose what to send. */
function GuestKept({ run }: { run: Run }) {
  return (
    <article className="grid gap-3">
      <p className="text-[13px] text-soft">{run.passageTitle}</p>
      <h1 className="font-semibold text-3xl" data-testid="verdict">
        Saved. Thank you for listening.
      </h1>
      <p className="max-w-prose text-[15px]">
        Save the result file and send it back: it holds your answers and the order, now open. Whoever made the pack can
        show you the result.
      </p>
      <p className="text-[13px] text-soft">
        <SealState run={run} />
      </p>
    </article>
  );
}

function AfterRun({ run }: { run: Run }) {
  return (
    <main className="mx-auto grid min-h-screen max-w-3xl content-center gap-6 p-8">
      {isGuest(run) ? <GuestKept run={run} /> : <RunVerdict run={run} />}
      <div className="flex flex-wrap gap-2">
        {isGuest(run) ? (
          <Link className="btn btn-sm border-rule" href={homeOf(run)}>
            Back to the pack
          </Link>
        ) : (
          <>
            <Link className="btn btn-primary btn-sm" href={`/comparison/${run.comparisonId}/findings`}>
              {LABELS.toTheFindings}
            </Link>
            <Link className="btn btn-sm border-rule" href={homeOf(run)}>
              {LABELS.planAnother}
            </Link>
          </>
        )}
        <SaveRun run={run} primary={isGuest(run)} />
      </div>
    </main>
  );
}

/** Answers after which a rest is offered. Common practice, no published source. */
const REST_EVERY = 12;

/** Where a run stands: in training, at a trial, or at rest before one. */
export function phaseOf(run: Run, restedBefore: number): { phase: "training" | "rest" | "trial"; number: number } {
  const trial = run.trials.length;
  const training = isRightOrWrong(run.plan) ? run.plan.training : 0;
  if (trial === 0 && run.trained.taken < training) return { phase: "training", number: run.trained.taken };
  if (trial > 0 && trial % REST_EVERY === 0 && restedBefore !== trial) return { phase: "rest", number: trial };
  return { phase: "trial", number: trial };
}

function OpenRun({ run }: { run: Run }) {
  const [restedBefore, setRestedBefore] = useState(0);
  const { phase, number } = phaseOf(run, restedBefore);
  const training = phase === "training";
  const key = `${training ? "training" : "trial"} ${number}`;
  const drill = useRef<{ key: string; seats: readonly number[] } | null>(null);
  const seating = useCallback(async () => {
    if (!training) return hiddenSeats(run.id, number);
    if (drill.current?.key !== key) drill.current = { key, seats: trainingSeats(run) };
    return drill.current.seats;
  }, [training, run, number, key]);
  const booth = useBoothPlayer(run, key, seating);
  const answering = useRef(false);
  const [told, setTold] = useState<{ right: boolean; truth: string } | null>(null);
  const { player, listenedSeconds, loop } = booth;

  const onAnswer = useCallback(
    async (answer: Answer) => {
      if (answering.current) return;
      answering.current = true;
      player.pause();
      if (training && drill.current) setTold(toldOf(run.plan as RightOrWrongPlan, drill.current.seats, answer));
      else await answerTrial(run.id, number, answer, listenedSeconds(), run.plan.loop === "free" ? loop : null);
      answering.current = false;
    },
    [player, training, run.id, run.plan, number, listenedSeconds, loop],
  );
  const goOn = () => {
    if (told) void keepTraining(run.id, number, told.right).then(() => setTold(null));
    else if (phase === "rest") setRestedBefore(number);
  };
  useHotkeys("enter", goOn, { useKey: true, enabled: told !== null || phase === "rest" }, [told, phase, number]);
  useSeatKeys(booth);
  const onUp = useCallback(() => void onAnswer({ missed: true }), [onAnswer]);
  const started = booth.heard.size > 0;
  const planned = trialCount(run.plan, run.stimuli.length);
  const limit = isRightOrWrong(run.plan) ? run.plan.secondsPerTrial : null;
  const Trial = trialOf(run);

  if (booth.problem) return <BrokenRun run={run} problem={booth.problem} />;
  return (
    <main className="grid min-h-screen place-content-center justify-items-center gap-7 p-6 [@media(max-height:760px)]:gap-4 [@media(max-height:760px)]:p-3">
      <h1 className="sr-only">Blind run</h1>
      <div className="figure flex w-[760px] justify-between gap-4 text-[13px] text-soft">
        <span data-testid="trial">
          {training
            ? `Training ${number + 1} of ${(run.plan as RightOrWrongPlan).training}`
            : `${trialWord(run)} ${number + 1} of ${planned}`}
        </span>
        <span className="truncate">
          {run.passageTitle}, {clock(run.region.startFrame / run.sampleRateHz)} to{" "}
          {clock(run.region.endFrame / run.sampleRateHz)}
        </span>
        {limit !== null && !training && phase === "trial" && (
          <TimeLimit key={key} seconds={limit} running={started} onUp={onUp} />
        )}
        <span title={`SHA-256 of the hidden order: ${run.sealDigest}`}>
          Sealed {run.sealDigest.slice(0, 4)} {run.sealDigest.slice(4, 8)}
        </span>
      </div>
      {run.trials.length === 0 && <Commitment run={run} />}
      {told || phase === "rest" ? (
        <div className="grid min-h-72 place-content-center justify-items-center gap-4 text-center">
          <h2 className="font-semibold text-2xl">
            {told ? `${told.right ? "Correct" : "Not correct"}: ${told.truth}` : LABELS.timeForARest}
          </h2>
          <p className="max-w-prose text-soft">
            {told
              ? "Training is not counted."
              : `${number} of ${planned} answers are kept. Ears tire; go on now, or come back later.`}
          </p>
          <button type="button" className="btn btn-primary" onClick={goOn}>
            {LABELS.goOn} <kbd className="kbd kbd-xs border-current/40">Enter</kbd>
          </button>
        </div>
      ) : (
        <Trial key={key} run={run} booth={booth} onAnswer={onAnswer} />
      )}
      {run.plan.loop === "free" && <FreeLoop run={run} booth={booth} />}
      {!training && <TrialDots planned={planned} answered={number} />}
      <LeaveLine run={run} planned={planned} />
    </main>
  );
}

function trialOf({ plan }: Run) {
  switch (plan.kind) {
    case "abx":
    case "same-different":
      return RightOrWrongTrial;
    case "favourite":
    case "pairs":
      return ChoiceTrial;
    case "rating":
      return RatingTrial;
  }
}

/** What a training trial's answer is answered with. */
function toldOf(plan: RightOrWrongPlan, seats: readonly number[], answer: Answer) {
  const right = isRight(plan, seats, { answer, answeredAt: "", listeningSeconds: 0, loop: null });
  if (plan.kind === "abx") return { right, truth: `X was ${seats[1] === 0 ? "A" : "B"}.` };
  return { right, truth: seats[0] === seats[1] ? "they were the same." : "they were different." };
}

function LeaveLine({ run, planned }: { run: Run; planned: number }) {
  const [leaving, setLeaving] = useState(false);
  return (
    <div className="grid justify-items-center gap-1 text-[13px] text-soft">
      <p>
        No score before {trialWord(run).toLowerCase()} {planned}. Leaving early is recorded as leaving early.
      </p>
      <div className="flex items-center gap-3">
        <Link className="link" href={homeOf(run)}>
          {LABELS.pauseAndContinueLater}
        </Link>
        {leaving ? (
          <span className="flex items-center gap-2">
            This ends the run for good.
            <button type="button" className="btn btn-xs border-error text-error" onClick={() => void leaveRun(run.id)}>
              {LABELS.endIt}
            </button>
            <button type="button" className="btn btn-xs border-rule" onClick={() => setLeaving(false)}>
              Stay
            </button>
          </span>
        ) : (
          <button type="button" className="link cursor-pointer" onClick={() => setLeaving(true)}>
            {LABELS.leaveTheRun}
          </button>
        )}
      </div>
    </div>
  );
}

function BrokenRun({ run, problem }: { run: Run; problem: string }) {
  return (
    <main className="grid min-h-screen place-content-center gap-3">
      <h1 className="font-semibold text-2xl">{LABELS.thisRunCannotContinue}</h1>
      <p className="text-soft">{problem}</p>
      <button type="button" className="btn btn-sm w-fit border-rule" onClick={() => void leaveRun(run.id)}>
        Close it with {run.trials.length} answers
      </button>
      <Link className="link" href={homeOf(run)}>
        Back
      </Link>
    </main>
  );
}
