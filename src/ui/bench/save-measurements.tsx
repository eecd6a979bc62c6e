"use client";

import { FileJson, Printer, Sheet } from "lucide-react";
import { useHotkeys } from "react-hotkeys-hook";
import { csvRows } from "@/core/bench/csv";
import { figuresOnly } from "@/core/bench/report";
import { fileNameOf } from "@/core/findings/file-name";
import { saveCsv } from "@/ui/charts/chart-file";
import { LABELS } from "@/ui/labels";
import { download } from "@/ui/shell/download";
import { stopKeyOptions } from "@/ui/shell/shortcuts";
import { useWorkbench } from "@/ui/shell/workbench";
import type { MeasuredSubject } from "./use-bench";

/** All figures shown, as JSON and as CSV. */
export function SaveMeasurements({ measured }: { measured: readonly MeasuredSubject[] }) {
  const { comparison } = useWorkbench();
  const print = () => window.print();
  useHotkeys("p", () => measured.length > 0 && print(), stopKeyOptions("p"), [measured.length]);
  const named = measured.map(({ title, report }) => ({ title, report: figuresOnly(report) }));
  const json = () => {
    const file = { schema: "yonder-pair/bench-list@1", comparison: comparison.title, measured: named };
    download(
      fileNameOf(`${comparison.title} bench`, "json"),
      new Blob([JSON.stringify(file, null, 2)], { type: "application/json" }),
    );
  };
  return (
    <span className="flex pb-1 min-[1180px]:gap-1">
      <button
        type="button"
        className="btn btn-ghost btn-xs font-normal"
        disabled={measured.length === 0}
        title="A page for each processor shown: sentences, six charts, control settings"
        onClick={print}
      >
        <Printer size={13} /> Print <kbd className="kbd kbd-xs">P</kbd>
      </button>
      <button
        type="button"
        className="btn btn-ghost btn-xs font-normal"
        disabled={measured.length === 0}
        title="All figures shown, as JSON"
        onClick={json}
      >
        <FileJson size={13} /> {LABELS.json}
      </button>
      <button
        type="button"
        className="btn btn-ghost btn-xs font-normal"
        disabled={measured.length === 0}
        title="All figures shown, as CSV"
        onClick={() => saveCsv(csvRows(named), `${comparison.title} bench`)}
      >
        <Sheet size={13} /> {LABELS.csv}
      </button>
    </span>
  );
}
