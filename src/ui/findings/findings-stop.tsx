"use client";

import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import { Download, Upload } from "lucide-react";
import Link from "next/link";
import { Fragment, useRef, useState } from "react";
import { isRightOrWrong } from "@/core/blind/plan";
import { outcomesOf } from "@/core/blind/result";
import { fileNameOf } from "@/core/findings/export";
import { METHOD_UNITS } from "@/core/matching/match-passage";
import { database } from "@/store/database";
import { exportComparison } from "@/store/export-comparison";
import type { Run } from "@/store/records";
import { importRecord } from "@/store/run-records";
import { FORMS } from "@/ui/blind/plan-draft";
import { RunVerdict } from "@/ui/blind/run-verdict";
import { SaveRun } from "@/ui/blind/save-run";
import { oddsOf, scoreOf } from "@/ui/blind/score-of";
import { clock, plural, signed, withUnit } from "@/ui/format";
import { download } from "@/ui/shell/download";
import { StopHeading } from "@/ui/shell/stop-heading";
import { useWorkbench } from "@/ui/shell/workbench";
import { ArchiveButton } from "./archive-button";
import { BenchFound } from "./bench-found";
import { NoteField } from "./note-field";

/** What was found: every run with its evidence, notes, and the whole of it as a file. */
export function FindingsStop() {
  const { comparison } = useWorkbench();
  const runs = useLiveQuery(
    () => database.runs.where({ comparisonId: comparison.id }).reverse().sortBy("createdAt"),
    [comparison.id],
  );
  const [openId, setOpenId] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [told, setTold] = useState<Told | null>(null);
  const exportAll = async () => {
    try {
      const text = JSON.stringify(await exportComparison(comparison.id), null, 2);
      download(fileNameOf(comparison.title, "json"), new Blob([text], { type: "application/json" }));
      setProblem(null);
    } catch (error) {
      setProblem(`The export did not work: ${error instanceof Error ? error.message : String(error)}`);
    }
  };
  if (!runs) return null;
  return (
    <section className="flex h-full flex-col gap-4 overflow-auto px-5 py-3.5">
      <StopHeading
        title="Findings"
        actions={
          <span className="flex gap-2">
            <ArchiveButton onProblem={setProblem} />
            <ImportRecord comparisonId={comparison.id} onTold={setTold} />
            <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={() => void exportAll()}>
              <Download size={15} /> Export as JSON
            </button>
          </span>
        }
      >
        {summaryOf(runs)}
      </StopHeading>
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
      {told && (
        <p role="status" className={told.isBad ? "text-error" : "text-success"}>
          {told.text}
        </p>
      )}
      {runs.length === 0 ? (
        <p className="text-soft">
          No runs yet.{" "}
          <Link className="link" href={`/comparison/${comparison.id}/blind`}>
            Plan a blind run
          </Link>{" "}
          to find out what can be told, and what is liked.
        </p>
      ) : (
        <RunTable runs={runs} openId={openId} onOpen={(id) => setOpenId(openId === id ? null : id)} />
      )}
      <BenchFound comparisonId={comparison.id} />
      <NoteField label="Note on this comparison" runId={null} />
    </section>
  );
}

type Told = { text: string; isBad: boolean };

/** Takes in a run that was saved as a record, once it has verified itself. */
function ImportRecord({ comparisonId, onTold }: { comparisonId: string; onTold: (told: Told) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File) => {
    const taken = await importRecord(comparisonId, file);
    onTold(
      taken.ok
        ? {
            text: `${file.name} holds: nothing was changed, and its order is the one that was sealed. It is listed below.`,
            isBad: false,
          }
        : { text: `${taken.reason} ${taken.advice}`, isBad: true },
    );
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        accept=".json,application/json"
        className="hidden"
        aria-label="Record to import"
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          event.target.value = "";
          if (file) void take(file);
        }}
      />
      <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={() => input.current?.click()}>
        <Upload size={15} /> Import a record
      </button>
    </>
  );
}

function summaryOf(runs: Run[]): string {
  const ended = runs.filter((r) => r.result).length;
  if (ended === 0) return "Nothing has been decided blind so far.";
  // Runs that are judged together are one test.
  const outcomes = outcomesOf(runs);
  const shown = outcomes.filter((outcome) => outcome === "heard" || outcome === "ahead").length;
  const tests = outcomes.length < ended ? `, ${plural(outcomes.length, "test")}` : "";
  const where = shown === 0 ? "in none" : shown === outcomes.length ? "in every one" : `in ${shown}`;
  return `${plural(ended, "run")} ended${tests}; a difference was shown ${where}.`;
}

const OUTCOMES = {
  heard: "heard",
  ahead: "told apart",
  "not shown": "not shown",
  "left early": "left early",
  part: "judged together",
} as const;

function RunTable({ runs, openId, onOpen }: { runs: Run[]; openId: string | null; onOpen: (id: string) => void }) {
  return (
    <table className="table table-sm rounded-lg border border-rule bg-base-100">
      <thead>
        <tr className="text-soft">
          <th>Date</th>
          <th>What</th>
          <th>Passage</th>
          <th className="text-right">Edge</th>
          <th className="text-right">Left after match</th>
          <th className="text-right">Score</th>
          <th className="text-right">Odds</th>
          <th>Outcome</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => (
          <Fragment key={run.id}>
            <RunRow run={run} open={openId === run.id} onOpen={() => onOpen(run.id)} />
            {openId === run.id && run.finishedAt && (
              <tr>
                <td colSpan={9} className="bg-base-200/50 p-4">
                  <RunVerdict run={run} />
                  <div className="mt-3 grid gap-3">
                    <SaveRun run={run} />
                    <NoteField label="Note on this run" runId={run.id} />
                  </div>
                </td>
              </tr>
            )}
          </Fragment>
        ))}
      </tbody>
    </table>
  );
}

const FORM_TITLES = Object.fromEntries(FORMS.map(({ kind, title }) => [kind, title]));

function RunRow({ run, open, onOpen }: { run: Run; open: boolean; onOpen: () => void }) {
  const { result, match, region, sampleRateHz, plan, stimuli, overruled } = run;
  return (
    <tr data-testid="run">
      <td className="figure whitespace-nowrap">
        {format(new Date(run.createdAt), "d MMM yyyy, HH:mm")}
        {run.listener?.code && <div className="text-[11px] text-soft">{run.listener.code}</div>}
      </td>
      <td>
        {isRightOrWrong(plan) ? (
          <>
            {stimuli[0].title} <span className="text-soft">and</span> {stimuli[1].title}
          </>
        ) : (
          plural(stimuli.length, "render")
        )}
        <div className="text-[11px] text-soft">{FORM_TITLES[plan.kind]}</div>
      </td>
      <td>
        {run.passageTitle}
        <div className="figure text-[11px] text-soft">
          {clock(region.startFrame / sampleRateHz)} to {clock(region.endFrame / sampleRateHz)}
        </div>
      </td>
      <td className="figure text-right">{withUnit(signed(match.edgeLu), METHOD_UNITS[match.method].difference)}</td>
      <td className={`figure text-right ${overruled.length > 0 ? "text-warning" : ""}`}>
        {withUnit(signed(match.remainingLu, 2), METHOD_UNITS[match.method].difference)}
        {overruled.length > 0 && <div className="text-[11px]">overruled</div>}
      </td>
      <td className="figure text-right">{scoreOf(run)}</td>
      <td className="figure text-right">{oddsOf(run)}</td>
      <td>{result ? OUTCOMES[result.outcome] : run.finishedAt ? "sealed" : "open"}</td>
      <td className="text-right">
        {run.finishedAt ? (
          <button type="button" className="btn btn-xs border-rule" aria-expanded={open} onClick={onOpen}>
            {open ? "Close" : "Open"}
          </button>
        ) : (
          <Link className="btn btn-xs whitespace-nowrap border-rule" href={`/booth/${run.id}`}>
            Go on
          </Link>
        )}
      </td>
    </tr>
  );
}
