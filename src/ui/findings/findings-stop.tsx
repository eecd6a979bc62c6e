"use client";

import { format } from "date-fns";
import { useLiveQuery } from "dexie-react-hooks";
import { Download } from "lucide-react";
import Link from "next/link";
import { Fragment, useState } from "react";
import { probabilityText } from "@/core/blind/verdict";
import { fileNameOf } from "@/core/findings/export";
import { METHOD_UNITS } from "@/core/matching/match-passage";
import { database } from "@/store/database";
import { exportComparison } from "@/store/export-comparison";
import type { Run } from "@/store/records";
import { RunVerdict } from "@/ui/blind/run-verdict";
import { clock, NO_FIGURE, plural, signed, withUnit } from "@/ui/format";
import { download } from "@/ui/shell/download";
import { StopHeading } from "@/ui/shell/stop-heading";
import { useWorkbench } from "@/ui/shell/workbench";
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
          <button type="button" className="btn btn-sm border-rule bg-base-100" onClick={() => void exportAll()}>
            <Download size={15} /> Export as JSON
          </button>
        }
      >
        {summaryOf(runs)}
      </StopHeading>
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
      {runs.length === 0 ? (
        <p className="text-soft">
          No runs yet.{" "}
          <Link className="link" href={`/comparison/${comparison.id}/blind`}>
            Plan an ABX run
          </Link>{" "}
          to find out whether you can tell the pair apart.
        </p>
      ) : (
        <RunTable runs={runs} openId={openId} onOpen={(id) => setOpenId(openId === id ? null : id)} />
      )}
      <NoteField label="Note on this comparison" runId={null} />
    </section>
  );
}

function summaryOf(runs: Run[]): string {
  const ended = runs.filter((r) => r.result);
  const heard = ended.filter((r) => r.result?.outcome === "heard").length;
  if (ended.length === 0) return "Nothing has been decided blind so far.";
  if (heard === 0) return `${plural(ended.length, "run")} ended; none showed a difference.`;
  return `${plural(ended.length, "run")} ended; a difference was heard in ${heard === ended.length ? "every one" : heard}.`;
}

const OUTCOMES = { heard: "heard", "not shown": "not shown", "left early": "left early" } as const;

function RunTable({ runs, openId, onOpen }: { runs: Run[]; openId: string | null; onOpen: (id: string) => void }) {
  return (
    <table className="table table-sm rounded-lg border border-rule bg-base-100">
      <thead>
        <tr className="text-soft">
          <th>Date</th>
          <th>A and B</th>
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
            {openId === run.id && run.result && (
              <tr>
                <td colSpan={9} className="bg-base-200/50 p-4">
                  <RunVerdict run={run} />
                  <div className="mt-3">
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

/** A run left early has no odds: where it stopped may have been chosen by how it went. */
function oddsOf({ result }: Run): string {
  if (!result) return "sealed";
  return result.outcome === "left early" ? NO_FIGURE : probabilityText(result.guessing);
}

function RunRow({ run, open, onOpen }: { run: Run; open: boolean; onOpen: () => void }) {
  const { result, match, region, sampleRateHz } = run;
  return (
    <tr data-testid="run">
      <td className="figure whitespace-nowrap">{format(new Date(run.createdAt), "d MMM yyyy, HH:mm")}</td>
      <td>
        {run.here.title} <span className="text-soft">and</span> {run.yonder.title}
      </td>
      <td>
        {run.passageTitle}
        <div className="figure text-[11px] text-soft">
          {clock(region.startFrame / sampleRateHz)} to {clock(region.endFrame / sampleRateHz)}
        </div>
      </td>
      <td className="figure text-right">{withUnit(signed(match.edgeLu), METHOD_UNITS[match.method].difference)}</td>
      <td className={`figure text-right ${match.overruled ? "text-warning" : ""}`}>
        {withUnit(signed(match.remainingLu, 2), METHOD_UNITS[match.method].difference)}
        {match.overruled && <div className="text-[11px]">overruled</div>}
      </td>
      <td className="figure text-right">
        {result ? `${result.right} of ${result.answered}` : `trial ${run.trials.length + 1} of ${run.plan.trials}`}
      </td>
      <td className="figure text-right">{oddsOf(run)}</td>
      <td>{result ? OUTCOMES[result.outcome] : "open"}</td>
      <td className="text-right">
        {result ? (
          <button type="button" className="btn btn-xs border-rule" aria-expanded={open} onClick={onOpen}>
            {open ? "Close" : "Open"}
          </button>
        ) : (
          <Link className="btn btn-xs border-rule" href={`/booth/${run.id}`}>
            Go on
          </Link>
        )}
      </td>
    </tr>
  );
}
