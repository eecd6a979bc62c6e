"use client";

import { Ear } from "lucide-react";
import { useState } from "react";
import { fileNameOf } from "@/core/findings/file-name";
import type { AppliedStep, Found } from "@/core/ladder/found-chain";
import { appliedStepSchema } from "@/core/ladder/found-chain";
import type { Ladder, LadderStep } from "@/core/ladder/ladder-schema";
import type { Recipe } from "@/core/recipes/recipe";
import { STEP_FIGURES, STEP_TITLES, stepWords } from "@/core/words/explain-steps";
import { NO_FIGURE, number, withUnit } from "@/core/words/units";
import { appliedRecipe } from "@/store/explaining";
import { addFitAsCandidate } from "@/store/fit-candidate";
import type { Region } from "@/store/records";
import { workOut } from "@/store/results";
import { LABELS } from "@/ui/labels";
import { appliedScene, residualScene } from "@/ui/shell/applied-voices";
import { download } from "@/ui/shell/download";
import { Menu } from "@/ui/shell/menu";
import { useMonitor } from "@/ui/shell/monitor";
import { sentenceOf } from "@/ui/shell/queries";
import { WhatIs } from "@/ui/shell/what-is";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { hearStep } from "./hear-step";

/** A bar is all of its row at 0 dB, and nothing here. */
const LEAST_DB = -110;

/** A fit has to improve this much to be worth hearing: less is not seen in the figures either. */
const LEAST_GAIN_DB = 0.05;

const takesAway = (before: number | null | undefined, after: number | null): boolean =>
  before !== null && before !== undefined && (after === null || before - after >= LEAST_GAIN_DB);

const shareOf = (db: number | null | undefined): number =>
  db === null || db === undefined ? 0 : Math.max(0, Math.min(1, 1 - db / LEAST_DB));

type Explained = { pair: Pair; region: Region };

/** The ladder: what each step leaves, and what it fitted; each to be heard and kept. */
export function LadderPanel({ explained, ladder }: { explained: Explained; ladder: Ladder | null }) {
  const [problem, setProblem] = useState<string | null>(null);
  const [done, setDone] = useState<string | null>(null);
  const steps = ladder?.steps ?? [];
  return (
    <section aria-label="Ladder" className="grid grid-cols-[minmax(0,1fr)] content-start gap-1.5">
      <ol className="grid grid-cols-[minmax(0,1fr)] gap-1">
        {steps.map((step, i) => (
          <Step
            key={step.step}
            step={step}
            before={i > 0 ? steps[i - 1] : null}
            depth={i}
            explained={explained}
            found={ladder?.found ?? null}
            onProblem={setProblem}
            onDone={setDone}
          />
        ))}
      </ol>
      {ladder === null || ladder.isPartial ? (
        <p className="flex items-center gap-2 text-[13px] text-soft" role="status">
          <span className="loading loading-spinner loading-xs" /> Looking for causes…
        </p>
      ) : (
        <JudgedOn ladder={ladder} region={explained.region} rateHz={explained.pair.dry.sampleRateHz} />
      )}
      {done && !problem && (
        <p role="status" className="text-[13px] text-soft">
          {done}
        </p>
      )}
      {problem && (
        <p role="alert" className="text-[13px] text-error">
          {problem}
        </p>
      )}
    </section>
  );
}

function JudgedOn({ ladder: { judged }, region, rateHz }: { ladder: Ladder; region: Region; rateHz: number }) {
  const all = (region.endFrame - region.startFrame) / rateHz;
  const isPart = judged.seconds < all - 0.01;
  return (
    <p className="text-[12px] text-soft">
      Residual re Yonder, cross-validated
      {isPart
        ? `; fitted on ${withUnit(number(judged.seconds, 0), "s")} in ${judged.stretches} stretches, checked on all`
        : ""}
      .
    </p>
  );
}

/** Characters that have room beside a step's title, its actions and its figure; more stand on a line of their own. */
const MOST_BESIDE_TITLE = 26;

type StepProps = {
  step: LadderStep;
  before: LadderStep | null;
  depth: number;
  explained: Explained;
  found: Found | null;
  onProblem: (problem: string | null) => void;
  onDone: (said: string) => void;
};

function Step({ step, before, depth, explained, found, onProblem, onDone }: StepProps) {
  const words = stepWords(step, before?.residualDb);
  const isLong = (words?.length ?? 0) > MOST_BESIDE_TITLE;
  const [share, beforeShare] = [shareOf(step.residualDb), shareOf(before?.residualDb)];
  const upTo = appliedStepSchema.safeParse(step.step).data;
  const isGained = takesAway(before?.residualDb, step.residualDb);
  return (
    <li data-testid={`step-${step.step}`} className="grid grid-cols-[minmax(0,1fr)] gap-0.5">
      <div className="flex h-5 items-center gap-2">
        <span className="whitespace-nowrap font-medium text-[13px]">
          <WhatIs figure={STEP_FIGURES[step.step]}>{STEP_TITLES[step.step]}</WhatIs>
        </span>
        <span className="min-w-0 flex-1 truncate text-[12px] text-soft" title={words ?? undefined}>
          {!isLong && words}
        </span>
        {found && upTo && isGained && (
          <span className="flex shrink-0">
            <StepActions
              explained={explained}
              found={found}
              upTo={upTo}
              residualDb={step.residualDb}
              onProblem={onProblem}
              onDone={onDone}
            />
          </span>
        )}
        <span className="figure w-[4.5rem] shrink-0 text-right text-[13px]">
          {step.residualDb === null
            ? step.step === "delivered"
              ? NO_FIGURE
              : "silence"
            : withUnit(number(step.residualDb), "dB")}
        </span>
      </div>
      {isLong && <p className="text-[12px] text-soft leading-snug">{words}</p>}
      <div className="relative h-2 min-w-0" aria-hidden="true">
        <span
          className="absolute inset-y-0 left-0 border border-difference/60 border-dotted"
          style={{ width: `${100 * beforeShare}%` }}
        />
        <span
          className="absolute inset-y-0 left-0 bg-difference"
          style={{ width: `${100 * share}%`, opacity: 0.95 - 0.1 * depth }}
        />
      </div>
    </li>
  );
}

type ActionProps = {
  explained: Explained;
  found: Found;
  upTo: AppliedStep;
  residualDb: number | null;
  onProblem: (problem: string | null) => void;
  onDone: (said: string) => void;
};

function StepActions({ explained: { pair, region }, found, upTo, residualDb, onProblem, onDone }: ActionProps) {
  const { titleOf } = useWorkbench();
  const [busy, setBusy] = useState(false);
  const heard = useMonitor((m) => m.heard);
  const attempt = async (work: () => Promise<void>) => {
    setBusy(true);
    onProblem(null);
    try {
      await work();
    } catch (error) {
      onProblem(sentenceOf(error));
    } finally {
      setBusy(false);
    }
  };
  const listen = (scene: string) => attempt(() => hearStep(pair, region, found, upTo, residualDb, scene));
  const save = (isLeft: boolean) =>
    attempt(async () => {
      const own = await appliedRecipe(pair, region, found, upTo);
      const { yonder } = own;
      const sound: Recipe = isLeft ? { of: "difference", here: own, yonder } : own;
      const name = fileNameOf(
        `${pair.passage.title} ${isLeft ? "residual after" : "fit applied"} ${STEP_TITLES[upTo]}`,
        "wav",
      );
      const form = { container: "WAV", encoding: "32-bit float" } as const;
      download(name, await workOut("write", { sound, form }, { title: `Writing ${name}` }));
    });
  const add = () =>
    attempt(async () => {
      const title = await addFitAsCandidate(pair, region, found, upTo, titleOf(pair.here));
      onDone(`${title} is a candidate now.`);
    });
  const title = STEP_TITLES[upTo].toLowerCase();
  const hearButton = (word: string, label: string, scene: string) => (
    <button
      type="button"
      disabled={busy}
      aria-label={label}
      aria-pressed={heard === scene}
      title={label}
      className={`btn btn-ghost btn-xs -my-0.5 h-6 gap-1 px-1.5 font-normal text-[12px] ${heard === scene ? "bg-difference text-base-100" : "text-soft"}`}
      onClick={() => void listen(scene)}
    >
      <Ear size={12} aria-hidden="true" /> {word}
    </button>
  );
  return (
    <>
      {hearButton("Residual", `Hear the residual after “${title}”`, residualScene(upTo))}
      {hearButton("Fit", `Hear Here with the fit applied up to “${title}”`, appliedScene(upTo))}
      {busy ? (
        <span className="grid size-6 place-content-center">
          <span className="loading loading-spinner loading-xs" />
        </span>
      ) : (
        <Menu
          label={`Save or add the fit up to “${title}”`}
          width="w-72"
          items={[
            { title: LABELS.saveTheResidualAsWAV, act: () => void save(true) },
            { title: "Save Here with the fit applied as WAV", act: () => void save(false) },
            { title: "Add Here with the fit applied as a candidate", act: () => void add() },
          ]}
        />
      )}
    </>
  );
}
