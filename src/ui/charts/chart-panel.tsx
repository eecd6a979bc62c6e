"use client";

import { Image as ImageIcon, LineChart, Sheet, Table as TableIcon } from "lucide-react";
import { type ReactNode, useRef, useState } from "react";
import { NO_FIGURE, number } from "@/core/words/units";
import { LABELS } from "@/ui/labels";
import { saveCsv, savePng, saveSvg, type Table } from "./chart-file";
import { setLogFrequency, useFrequencyAxis } from "./frequency-axis";

/** Rows of a table that are shown; all of them are in the CSV. */
const MOST_ROWS = 400;

/** One line of a legend: how it is drawn, and what it is. */
export type LegendLine = { title: string; colour: string; dash?: string; width?: number; isArea?: boolean };

export function Legend({ lines }: { lines: readonly LegendLine[] }) {
  return (
    <span className="flex flex-wrap items-center gap-x-3 gap-y-1 text-[12px] text-soft">
      {lines.map(({ title, colour, dash, width = 2, isArea }) => (
        <span key={title} className="flex items-center gap-1.5">
          <svg width={26} height={8} aria-hidden="true">
            {isArea ? (
              <rect width={26} height={8} fill={colour} opacity={0.3} />
            ) : (
              <line x1={0} x2={26} y1={4} y2={4} stroke={colour} strokeWidth={width} strokeDasharray={dash} />
            )}
          </svg>
          {title}
        </span>
      ))}
    </span>
  );
}

/**
 * A chart with what belongs to each: its legend, the same as a table, and files of both. `name` is what files are called; `children` is a
 * `ChartFrame`.
 */
export function ChartPanel(props: {
  name: string;
  legend: readonly LegendLine[];
  /** What is beside the legend: settings that only this chart has. */
  note?: ReactNode;
  /** Whether it has an axis of frequencies, which can be logarithmic or linear. */
  hasFrequency?: boolean;
  table: () => Table;
  children: ReactNode;
}) {
  const { name, legend, note, hasFrequency = false, table, children } = props;
  const isLog = useFrequencyAxis((axis) => axis.isLog);
  const [isTable, setTable] = useState(false);
  const body = useRef<HTMLDivElement>(null);
  const drawing = () => body.current?.querySelector<SVGSVGElement>('svg[role="img"]');
  const action = (label: string, icon: ReactNode, act: () => void, isOff = false) => (
    <button
      type="button"
      className="btn btn-ghost btn-xs h-6 gap-1 px-1.5 font-normal text-[11px] text-soft"
      aria-label={label}
      title={label}
      disabled={isOff}
      onClick={act}
    >
      {icon}
    </button>
  );
  return (
    <section aria-label={name} className="flex min-h-0 flex-1 flex-col gap-1.5">
      <div ref={body} className="min-h-0 flex-1 overflow-hidden rounded-lg border border-rule bg-base-100">
        {isTable ? <Rows table={table()} /> : children}
      </div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Legend lines={legend} />
        <span className="min-w-48 flex-1 text-right text-[12px] text-soft">{note}</span>
        <span className="ml-auto flex items-center">
          {hasFrequency &&
            action(isLog ? LABELS.linearFrequencyAxis : "Logarithmic frequency axis", isLog ? "Log" : "Linear", () =>
              setLogFrequency(!isLog),
            )}
          {isTable
            ? action("Show as a chart", <LineChart size={13} />, () => setTable(false))
            : action("Show as a table", <TableIcon size={13} />, () => setTable(true))}
          {action(
            "Save as PNG",
            <>
              <ImageIcon size={13} /> PNG
            </>,
            () => {
              const svg = drawing();
              if (svg) void savePng(svg, name);
            },
            isTable,
          )}
          {action(
            "Save as SVG",
            "SVG",
            () => {
              const svg = drawing();
              if (svg) saveSvg(svg, name);
            },
            isTable,
          )}
          {action(
            "Save as CSV",
            <>
              <Sheet size={13} /> {LABELS.csv}
            </>,
            () => saveCsv(table(), name),
          )}
        </span>
      </div>
    </section>
  );
}

function Rows({ table: { columns, rows } }: { table: Table }) {
  const every = Math.max(1, Math.ceil(rows.length / MOST_ROWS));
  const shown = rows.filter((_, i) => i % every === 0);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys
    <section className="h-full overflow-auto" tabIndex={0} aria-label={LABELS.theChartAsATable}>
      <table className="table table-xs">
        <thead className="sticky top-0 bg-base-100">
          <tr className="text-soft">
            {columns.map((column) => (
              <th key={column} className="text-right">
                {column}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((row) => (
            <tr key={String(row[0])}>
              {row.map((value, i) => (
                <td key={columns[i]} className="figure text-right">
                  {typeof value === "number" ? number(value, Math.abs(value) >= 1000 ? 0 : 2) : (value ?? NO_FIGURE)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
