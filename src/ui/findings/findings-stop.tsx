"use client";

import { useLiveQuery } from "dexie-react-hooks";
import { FileText, Layers, Package, Upload } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { contradictionsIn } from "@/core/findings/contradictions";
import { type Asked, whatNext } from "@/core/findings/next-runs";
import { type Entry, timelineOf } from "@/core/findings/timeline";
import { FAMILY_WORDS, familySentences } from "@/core/words/findings-families";
import { claimsSummary } from "@/core/words/findings-scores";
import { plural } from "@/core/words/units";
import { showPassage } from "@/store/comparisons";
import { database } from "@/store/database";
import { importRecord } from "@/store/run-records";
import { EmptyStop } from "@/ui/gather/empty-stop";
import { LABELS } from "@/ui/labels";
import { FileButton, JSON_FILE } from "@/ui/shell/file-button";
import { player, seekOnceLaid } from "@/ui/shell/monitor";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { StopHeading } from "@/ui/shell/stop-heading";
import { stopPath } from "@/ui/shell/stops";
import { ViewTabs } from "@/ui/shell/view-tabs";
import { useWorkbench } from "@/ui/shell/workbench";
import { ArchiveButton } from "./archive-button";
import { CellPanel, ContradictionLine } from "./cell-panel";
import { NextPanel } from "./next-panel";
import { NoteField } from "./note-field";
import { PackDialog } from "./pack-dialog";
import { ReportDialog } from "./report-dialog";
import { RunDialog } from "./run-dialog";
import { TimelinePanel } from "./timeline-panel";
import { useBook } from "./use-book";
import { type Place, VerdictMatrix } from "./verdict-matrix";

type View = "cell" | "timeline" | "next" | "contradictions";

/** What it all comes to: verdicts and what they rest on, what goes against what, what to hear next, and all of it as files. */
export function FindingsStop() {
  const { comparison, renders } = useWorkbench();
  const router = useRouter();
  const [isAnalysed, setAnalysed] = useState(false);
  const { book, isWorking } = useBook(isAnalysed);
  const told = useTold(comparison.id);
  const [view, setView] = useState<View>("timeline");
  const [place, setPlace] = useState<Place | null>(null);
  const [openId, setOpenId] = useState<string | null>(null);
  const [asked, setAsked] = useState<Asked>({ effect: 0.8, power: 0.8 });
  const [dialog, setDialog] = useState<"report" | "pack" | null>(null);
  useHotkeys("a", () => setAnalysed(true), stopKeyOptions("a"));
  useHotkeys("g", () => setDialog("pack"), stopKeyOptions("g"));
  useHotkeys("r", () => setDialog("report"), stopKeyOptions("r"));
  const [problem, setProblem] = useState<string | null>(null);
  const [notice, setNotice] = useState<Notice | null>(null);
  const contradictions = useMemo(() => (book ? contradictionsIn(book) : []), [book]);
  const families = useMemo(() => (book ? familySentences(book) : []), [book]);
  const next = useMemo(() => (book ? whatNext(book, asked) : null), [book, asked]);
  const entries = useMemo(() => (book && told ? timelineOf(book, told) : []), [book, told]);
  const views = [
    { value: "timeline" as const, title: LABELS.timeline },
    { value: "cell" as const, title: "Verdict" },
    { value: "next" as const, title: `Test next${next?.runs.length ? ` (${next.runs.length})` : ""}` },
    { value: "contradictions" as const, title: `Contradictions (${contradictions.length})` },
  ];
  useHotkeys(
    "v",
    () => setView((now) => views[(views.findIndex((v) => v.value === now) + 1) % views.length].value),
    stopKeyOptions("v"),
  );
  const open = (entry: Entry) => {
    const { from } = entry;
    switch (from.is) {
      case "run":
        return setOpenId(from.runId);
      case "note":
        return from.runId ? setOpenId(from.runId) : document.getElementById("comparison-note")?.focus();
      case "cell":
        setPlace({ passageId: from.passageId, candidateId: from.candidateId });
        return setView("cell");
      case "bench":
        return router.push(stopPath(comparison.id, "bench"));
      case "moment":
        void showPassage(comparison.id, from.passageId);
        if (from.passageId === comparison.passageId) player.seek(from.frame);
        else seekOnceLaid(from.frame);
        return router.push(stopPath(comparison.id, "listen"));
      case "passage":
        void showPassage(comparison.id, from.passageId);
        return router.push(stopPath(comparison.id, "listen"));
    }
  };
  if (!book || !told || !next) return null;
  if (renders.length === 0 && entries.length === 0)
    return (
      <EmptyStop stop="findings">
        <ImportRecord comparisonId={comparison.id} onTold={setNotice} />
        {notice?.isBad && (
          <p role="status" className="text-error">
            {notice.text}
          </p>
        )}
      </EmptyStop>
    );
  const run = book.runs.find(({ id }) => id === openId);
  const taken = book.cells.filter((cell) => cell.dryDifference !== undefined).length;
  const untaken = renders.length - book.passages.length - taken;
  return (
    <section className="flex h-full flex-col gap-2 px-5 py-3">
      <StopHeading
        title="Findings"
        actions={
          <span className="flex gap-2">
            <ImportRecord comparisonId={comparison.id} onTold={setNotice} />
            <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={() => setDialog("report")}>
              <FileText size={15} /> {LABELS.report} <kbd className="kbd kbd-xs">R</kbd>
            </button>
            <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={() => setDialog("pack")}>
              <Package size={15} /> {LABELS.renderPack} <kbd className="kbd kbd-xs">G</kbd>
            </button>
            <ArchiveButton onProblem={setProblem} />
          </span>
        }
      >
        {claimsSummary(book)}
      </StopHeading>
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
      {notice && (
        <p role="status" className={notice.isBad ? "text-error" : "text-success"}>
          {notice.text}
        </p>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_400px] gap-4">
        <div className="flex min-h-0 flex-col gap-2">
          <section
            aria-label="One sentence per family"
            // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is scrolled by keys
            tabIndex={0}
            className="max-h-[108px] shrink-0 overflow-auto [@media(min-height:1000px)]:max-h-[216px]"
          >
            <dl className="grid grid-cols-[auto_1fr] gap-x-2 text-[13px] leading-[18px]">
              {families.map(({ kind, says, isHeard }) => (
                <div key={kind} className="contents" data-testid="family">
                  <dt className="font-display font-semibold first-letter:uppercase">{FAMILY_WORDS[kind]}</dt>
                  <dd className={isHeard ? "" : "text-soft"}>{says}</dd>
                </div>
              ))}
            </dl>
          </section>
          {book.cells.length === 0 ? (
            <p className="text-soft">
              Nothing to judge yet.{" "}
              <Link className="link" href={stopPath(comparison.id, "gather")}>
                Gather renders
              </Link>{" "}
              first: one row per passage, one column per candidate.
            </p>
          ) : (
            <VerdictMatrix
              book={book}
              contradictions={contradictions}
              place={place}
              onPlace={(at) => {
                setPlace(at);
                setView("cell");
              }}
            />
          )}
          <div className="flex items-center gap-2 text-[12px] text-soft">
            {untaken > 0 && (
              <button
                type="button"
                className="btn btn-xs border-rule bg-base-100 text-base-content"
                disabled={isAnalysed && isWorking}
                onClick={() => setAnalysed(true)}
              >
                <Layers size={12} aria-hidden="true" />
                {isAnalysed && isWorking ? "Analysing…" : `Analyse ${plural(untaken, "render")}`}{" "}
                <kbd className="kbd kbd-xs">A</kbd>
              </button>
            )}
            <span hidden={book.cells.length === 0}>
              Each cell: your verdict, best evidence, level offset, null depth re dry, main cause. Arrows move; 1 2 3
              set a verdict.
            </span>
          </div>
        </div>
        <div className="flex min-h-0 flex-col gap-2 border-rule border-l pl-4">
          <div className="flex border-rule border-b">
            <ViewTabs views={views} shown={view} onShown={setView} />
          </div>
          {view === "timeline" && <TimelinePanel book={book} entries={entries} onOpen={open} />}
          {view === "cell" && (
            <div className="min-h-0 overflow-auto pr-1.5 pb-1">
              {place ? (
                <CellPanel book={book} contradictions={contradictions} place={place} onRun={setOpenId} />
              ) : (
                <p className="text-[13px] text-soft">Choose a cell to see its evidence here.</p>
              )}
            </div>
          )}
          {view === "next" && <NextPanel book={book} next={next} asked={asked} onAsked={setAsked} />}
          {view === "contradictions" && (
            <div className="grid content-start gap-2 overflow-auto">
              {contradictions.length === 0 && (
                <p className="text-[13px] text-soft">No contradictions between verdicts, runs and figures.</p>
              )}
              {contradictions.map((c) => (
                <ContradictionLine
                  key={`${c.passageId} ${c.says}`}
                  contradiction={c}
                  where={book.passageTitleOf(c.passageId)}
                  onRun={setOpenId}
                />
              ))}
            </div>
          )}
          {view === "timeline" && <NoteField label="Note on this comparison" runId={null} id="comparison-note" />}
        </div>
      </div>
      {dialog === "pack" && <PackDialog onClose={() => setDialog(null)} />}
      {dialog === "report" && <ReportDialog onClose={() => setDialog(null)} />}
      {run && <RunDialog run={run} onClose={() => setOpenId(null)} />}
    </section>
  );
}

/** What else the timeline tells of. */
function useTold(comparisonId: string) {
  return useLiveQuery(async () => {
    const [notes, moments, measurements] = await Promise.all([
      database.notes.where({ comparisonId }).toArray(),
      database.moments.where({ comparisonId }).toArray(),
      database.measurements.where({ comparisonId }).toArray(),
    ]);
    return { notes, moments, measurements };
  }, [comparisonId]);
}

type Notice = { text: string; isBad: boolean };

/** Takes in a run that was saved as a record, once it has verified itself. */
function ImportRecord({ comparisonId, onTold }: { comparisonId: string; onTold: (told: Notice) => void }) {
  const take = async (file: File) => {
    const taken = await importRecord(comparisonId, file);
    onTold(
      taken.ok
        ? {
            text: `${file.name} verifies: nothing was changed, and the order matches its seal. It is listed below.`,
            isBad: false,
          }
        : { text: `${taken.reason} ${taken.advice}`, isBad: true },
    );
  };
  return (
    <FileButton label={LABELS.recordToImport} accept={JSON_FILE} onFiles={([file]) => void take(file)}>
      <Upload size={15} /> Import a record
    </FileButton>
  );
}
