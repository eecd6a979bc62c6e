"use client";

import { TriangleAlert } from "lucide-react";
import Link from "next/link";
import type { ReactNode } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { VERDICTS } from "@/core/archive/rows";
import { cellOf, findingOf, type OpenBook } from "@/core/findings/book";
import { type Contradiction, contradictionsAt } from "@/core/findings/contradictions";
import { type Evidence, evidenceFor } from "@/core/findings/evidence";
import type { FigureKey } from "@/core/words/figures";
import { IDENTICAL_WORDS } from "@/core/words/identity";
import { MISSING } from "@/core/words/missing";
import { NO_FIGURE, number, withUnit } from "@/core/words/units";
import { setSide, showPassage } from "@/store/comparisons";
import { type FindingChange, writeFinding } from "@/store/findings";
import { LABELS } from "@/ui/labels";
import { Figure } from "@/ui/shell/figure";
import { KeptText } from "@/ui/shell/kept-text";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { stopPath } from "@/ui/shell/stops";
import { WhatIs } from "@/ui/shell/what-is";
import { useWorkbench } from "@/ui/shell/workbench";
import { levelOffsetText, type Place } from "./verdict-matrix";

/** One candidate on one passage, or overall: her verdict, and everything it can rest on. */
export function CellPanel({
  book,
  contradictions,
  place,
  onRun,
}: {
  book: OpenBook;
  contradictions: readonly Contradiction[];
  place: Place;
  onRun: (runId: string) => void;
}) {
  const { passageId, candidateId } = place;
  const against = passageId ? contradictionsAt(contradictions, passageId, candidateId) : [];
  return (
    <div className="grid content-start gap-2.5 text-[13px]">
      <h2 className="font-semibold text-[15px]">
        {book.titleOf(candidateId)}{" "}
        <span className="font-normal text-soft">{passageId ? `on ${book.passageTitleOf(passageId)}` : "overall"}</span>
      </h2>
      <VerdictFields key={`${passageId} ${candidateId}`} book={book} place={place} />
      {against.map((contradiction) => (
        <ContradictionLine key={contradiction.says} contradiction={contradiction} onRun={onRun} />
      ))}
      {passageId && (
        <>
          <Known evidence={evidenceFor(book, passageId, candidateId)} onRun={onRun} />
          <CellFigures book={book} passageId={passageId} candidateId={candidateId} />
        </>
      )}
      <OnTheBench sentences={book.bench.get(candidateId) ?? []} />
    </div>
  );
}

/** A contradiction, in words, with the run it rests on. */
export function ContradictionLine({
  contradiction: { says, runIds },
  where,
  onRun,
}: {
  contradiction: Contradiction;
  where?: string;
  onRun: (runId: string) => void;
}) {
  return (
    <p className="flex gap-1.5 text-[13px]" data-testid="contradiction">
      <TriangleAlert size={14} className="mt-0.5 shrink-0 text-warning" aria-hidden="true" />
      <span>
        {where && <span className="font-medium">{where}: </span>}
        {says} <RunLinks runIds={runIds} onRun={onRun} />
      </span>
    </p>
  );
}

/** What a test signal reported of it, whatever the passage. */
function OnTheBench({ sentences: [first, ...others] }: { sentences: readonly string[] }) {
  if (!first) return null;
  return (
    <section aria-label={LABELS.bench}>
      <Fact title="On the bench" figure="benchSummary">
        {first}{" "}
        <Stop to="bench" passageId={null}>
          open it
        </Stop>
      </Fact>
      {others.length > 0 && (
        <details>
          <summary className="cursor-pointer text-soft">{others.length} more</summary>
          <ul className="mt-1 grid gap-0.5 pl-3">
            {others.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

/** The way to the runs that something rests on. */
function RunLinks({ runIds, onRun }: { runIds: readonly string[]; onRun: (runId: string) => void }) {
  return runIds.map((runId, i) => (
    <button key={runId} type="button" className="link mr-1 font-normal" onClick={() => onRun(runId)}>
      {runIds.length === 1 ? "the run" : `run ${i + 1}`}
    </button>
  ));
}

const KEYS = ["1", "2", "3"] as const;

const ON_A_PASSAGE = [
  { field: "good", label: "Good" },
  { field: "bad", label: LABELS.bad },
] as const;
const ON_THE_WHOLE = [
  ...ON_A_PASSAGE,
  { field: "price", label: "Price" },
  { field: "effort", label: "Effort" },
] as const;

/** Nothing here is filled in for anyone. */
function VerdictFields({ book, place }: { book: OpenBook; place: Place }) {
  const { comparison } = useWorkbench();
  const { passageId, candidateId } = place;
  const finding = findingOf(book, passageId, candidateId);
  const write = (change: FindingChange) =>
    writeFinding({ comparisonId: comparison.id, passageId, candidateId }, change);
  useHotkeys(
    KEYS,
    (_, { keys }) => {
      const verdict = VERDICTS[KEYS.indexOf((keys?.[0] ?? "") as (typeof KEYS)[number])];
      if (verdict) void write({ verdict: finding?.verdict === verdict ? null : verdict });
    },
    stopKeyOptions("1"),
    [finding?.verdict, passageId, candidateId],
  );
  return (
    <div className="grid gap-1.5">
      <fieldset className="join">
        <legend className="sr-only">{LABELS.yourVerdict}</legend>
        {VERDICTS.map((verdict, i) => (
          <button
            key={verdict}
            type="button"
            aria-pressed={finding?.verdict === verdict}
            className={`btn join-item btn-sm border-rule font-normal ${finding?.verdict === verdict ? "btn-primary" : "bg-base-100"}`}
            onClick={() => void write({ verdict: finding?.verdict === verdict ? null : verdict })}
          >
            {verdict} <kbd className="kbd kbd-xs text-base-content">{KEYS[i]}</kbd>
          </button>
        ))}
      </fieldset>
      <div className="grid grid-cols-2 gap-1.5">
        {(passageId === null ? ON_THE_WHOLE : ON_A_PASSAGE).map(({ field, label }) => (
          <KeptText
            key={field}
            label={label}
            initial={finding?.[field] ?? ""}
            onKeep={(text) => write({ [field]: text })}
            rows={2}
            className="textarea-sm min-h-0 resize-none leading-4"
          />
        ))}
      </div>
    </div>
  );
}

const STATE_TONES = { shown: "font-medium", "not shown": "", open: "text-soft", said: "text-soft" } as const;

function Known({ evidence, onRun }: { evidence: Evidence[]; onRun: (runId: string) => void }) {
  return (
    <section aria-label="Evidence" className="grid gap-1">
      <h3 className="font-display font-semibold text-[13px]">
        <WhatIs figure="evidence">Evidence</WhatIs>
      </h3>
      {evidence.length === 0 && <p className="text-soft">Not heard yet, blind or sighted.</p>}
      {evidence.map(({ how, says, score, state, listeners, runIds, sightedId }) => (
        <p key={`${how} ${says} ${sightedId}`} className={STATE_TONES[state]} data-testid="evidence">
          {how}: {says}. <span className="font-normal text-soft">{score}</span>
          {listeners > 1 && <span className="font-normal text-soft">, {listeners} listeners</span>}{" "}
          <RunLinks runIds={runIds} onRun={onRun} />
        </p>
      ))}
    </section>
  );
}

function CellFigures({ book, passageId, candidateId }: { book: OpenBook; passageId: string; candidateId: string }) {
  const { passages, renders } = useWorkbench();
  const facts = cellOf(book, passageId, candidateId);
  const passage = passages.find((p) => p.id === passageId);
  const render = renders.find((r) => r.id === facts?.renderId);
  if (!facts || !passage || !render) return <p className="text-soft">No render on this passage.</p>;
  if (facts.isDry) return <p className="text-soft">The dry render: the others are aligned to it.</p>;
  return (
    <section aria-label={LABELS.figures} className="grid gap-1">
      <Fact title="Level offset" figure="levelOffset">
        <span className="figure">{levelOffsetText(facts.levelOffset)}</span> re dry
      </Fact>
      <Fact title="Null depth re dry" figure="nullDepth">
        <span className="figure">
          <Figure
            text={facts.nullDb === undefined ? "…" : withUnit(number(facts.nullDb), "dB")}
            why={facts.nullDb === undefined ? MISSING.measuring : MISSING.notAligned}
          />
        </span>
        {facts.identical && facts.identical !== "no" && `, ${IDENTICAL_WORDS[facts.identical]}`}
      </Fact>
      <Fact title={LABELS.dynamics} figure="crestDifference">
        <Figure text={facts.dynamics ?? NO_FIGURE} why={MISSING.noDynamics} />
      </Fact>
      <Fact title="Main cause" figure="mainCause">
        {facts.dryDifference?.sentence ?? "not analysed yet"}{" "}
        <Stop to="explain" passageId={passageId} before={() => setSide(passage, "yonder", render.id)}>
          open Explain
        </Stop>
      </Fact>
    </section>
  );
}

const Fact = ({ title, figure, children }: { title: string; figure: FigureKey; children: ReactNode }) => (
  <p>
    <span className="text-soft">
      <WhatIs figure={figure}>{title}</WhatIs>:{" "}
    </span>
    {children}
  </p>
);

/** A way to another stop, with the passage shown there. */
function Stop(props: {
  to: "explain" | "bench";
  passageId: string | null;
  before?: () => Promise<void>;
  children: ReactNode;
}) {
  const { to, passageId, before, children } = props;
  const { comparison } = useWorkbench();
  return (
    <Link
      className="link"
      href={stopPath(comparison.id, to)}
      onClick={() => {
        if (passageId) void showPassage(comparison.id, passageId);
        void before?.();
      }}
    >
      {children}
    </Link>
  );
}
