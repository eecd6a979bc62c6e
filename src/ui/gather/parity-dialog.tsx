"use client";

import { useState } from "react";
import { compareReports } from "@/core/bench/compare-reports";
import { type PanelReading, panelCheck } from "@/core/bench/find/control-words";
import type { BenchReport } from "@/core/bench/report";
import { type ParityRow, parityOf } from "@/core/candidates/parity";
import { benchDifferenceWords } from "@/core/words/bench";
import { plural } from "@/core/words/units";
import type { Candidate } from "@/store/records";
import { useReports } from "@/ui/bench/use-bench";
import { LABELS } from "@/ui/labels";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { useWorkbench } from "@/ui/shell/workbench";

const STATES = {
  equal: { words: "equal", tone: "text-soft" },
  unequal: { words: "unequal", tone: "font-medium text-warning" },
  "given by some": { words: "not given by all", tone: "text-soft italic" },
} as const;

/** Settings of chosen candidates side by side; every inequality is marked, with its reason where one was noted. */
export function ParityDialog({ onClose }: { onClose: () => void }) {
  const { candidates, pair } = useWorkbench();
  const told = candidates.filter((c) => c.settings.length > 0);
  const inPair = (c: Candidate) => c.id === pair?.here.candidateId || c.id === pair?.yonder.candidateId;
  const [chosen, setChosen] = useState<ReadonlySet<string>>(() => {
    const both = told.filter(inPair);
    return new Set((both.length === 2 ? both : told.slice(0, 2)).map((c) => c.id));
  });
  const [onlyUnequal, setOnlyUnequal] = useState(false);
  const columns = told.filter((c) => chosen.has(c.id));
  const rows = parityOf(columns.map((c) => c.settings));
  const reports = useReports(columns);
  const measured = columns.flatMap(({ id, title }) => {
    const report = reports.get(id);
    return report ? [{ title, report }] : [];
  });
  // Two alone are held against each other in words.
  const [one, other] = measured;
  const apart =
    columns.length === 2 && other
      ? compareReports(one, other).map((d) => benchDifferenceWords(d, [one.title, other.title]))
      : [];
  const shown = onlyUnequal ? rows.filter((r) => r.state !== "equal") : rows;
  const toggle = (id: string) =>
    setChosen((before) => (before.has(id) ? new Set([...before].filter((b) => b !== id)) : new Set([...before, id])));
  return (
    <Modal
      title="Compare settings"
      width={1080}
      onClose={onClose}
      actions={(close) => <CloseButton onClick={close}>{LABELS.close}</CloseButton>}
    >
      {told.length === 0 ? (
        <p className="text-soft">
          No candidate has settings yet. Open one with <kbd className="kbd kbd-xs">E</kbd> and enter its control
          settings.
        </p>
      ) : (
        <>
          <fieldset className="flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
            <legend className="sr-only">Candidates to compare</legend>
            {told.map((candidate) => (
              <label key={candidate.id} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={chosen.has(candidate.id)}
                  onChange={() => toggle(candidate.id)}
                />
                {candidate.title}
              </label>
            ))}
          </fieldset>
          <div className="flex items-center justify-between gap-4">
            <p>
              {sentenceOf(rows, columns)} {apart.join(" ")}
            </p>
            <label className="flex shrink-0 items-center gap-1.5 text-[13px]">
              <input
                type="checkbox"
                className="toggle toggle-xs"
                checked={onlyUnequal}
                onChange={() => setOnlyUnequal(!onlyUnequal)}
              />
              {LABELS.onlyDifferences}
            </label>
          </div>
          {columns.length > 0 && <ParityTable rows={shown} columns={columns} reports={reports} />}
        </>
      )}
    </Modal>
  );
}

function sentenceOf(rows: ParityRow[], columns: Candidate[]): string {
  if (columns.length < 2) return "Choose two candidates or more.";
  const unequal = rows.filter((r) => r.state === "unequal").length;
  const untold = rows.filter((r) => r.state === "given by some").length;
  if (unequal === 0 && untold === 0) return "Settings are equal, as far as given.";
  const parts = [
    unequal > 0 && `${plural(unequal, "setting is unequal", "settings are unequal")}`,
    untold > 0 && `${plural(untold, "is", "are")} not given by all`,
  ].filter(Boolean);
  return `${parts.join(", ")}.`;
}

function ParityTable({
  rows,
  columns,
  reports,
}: {
  rows: ParityRow[];
  columns: Candidate[];
  reports: ReadonlyMap<string, BenchReport>;
}) {
  const readings = columns.map(({ id, settings }) => {
    const report = reports.get(id);
    return new Map(report ? panelCheck(settings, report).map((reading, i) => [settings[i], reading]) : []);
  });
  return (
    <div className="min-h-0 overflow-auto rounded-lg border border-rule">
      <table className="table table-xs">
        <thead className="sticky top-0 bg-base-100">
          <tr className="text-soft">
            <th>Setting</th>
            {columns.map((c) => (
              <th key={c.id}>{c.title}</th>
            ))}
            <th>Parity</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a parameter may stand twice; the order is fixed
            <tr key={`${row.parameter} ${i}`} data-parity={row.state}>
              <td>{row.parameter}</td>
              {row.lines.map((line, c) => (
                <td key={columns[c].id}>
                  {line ? (
                    <>
                      <span className={`figure ${row.state === "unequal" ? "font-medium" : ""}`}>
                        {line.value}
                        {line.unit && `\u2009${line.unit}`}
                      </span>
                      <MeasuredBeside reading={readings[c].get(line) ?? null} />
                      {line.note && <div className="text-[11px] text-soft">{line.note}</div>}
                    </>
                  ) : (
                    <span className="text-soft">not given</span>
                  )}
                </td>
              ))}
              <td className={STATES[row.state].tone}>{STATES[row.state].words}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What the bench found where the controls say something. */
function MeasuredBeside({ reading }: { reading: PanelReading | null }) {
  if (!reading) return null;
  return (
    <div className="text-[11px] text-soft" title="Measured at Bench, and how far it is from the control">
      measured <span className="figure">{reading.words}</span> ({reading.error})
    </div>
  );
}
