"use client";

import {
  createColumnHelper,
  flexRender,
  getCoreRowModel,
  getSortedRowModel,
  type SortingState,
  useReactTable,
} from "@tanstack/react-table";
import { Sheet } from "lucide-react";
import { type ReactNode, useMemo, useState } from "react";
import { chanceWords } from "@/core/words/explain";
import type { FigureKey } from "@/core/words/figures";
import { MISSING } from "@/core/words/missing";
import { NO_FIGURE, number, rangeOfHertz, signed, timeWords, withUnit } from "@/core/words/units";
import { setSide } from "@/store/comparisons";
import type { Region, Render } from "@/store/records";
import { saveCsv } from "@/ui/charts/chart-file";
import { ChartFrame, type Plot, type Span, viewWithin } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { LABELS } from "@/ui/labels";
import { QuickSelect } from "@/ui/shell/controls";
import { Figure } from "@/ui/shell/figure";
import { SortedHead } from "@/ui/shell/sorted-head";
import { Instead, View } from "@/ui/shell/view";
import { type Pair, useWorkbench } from "@/ui/shell/workbench";
import { type CandidateRow, SILENT_DB, useAlike, useCandidateRows } from "./use-candidates";
import { hasDryBeside } from "./use-explained";

type Shown = "table" | "map";

/** All renders of the passage against one of them: what sets each apart, and which are alike. */
export function CandidatesView({ pair, region }: { pair: Pair; region: Region }) {
  const [shown, setShown] = useState<Shown>("table");
  const [against, setAgainst] = useState<"dry" | "here">("dry");
  const reference = against === "dry" ? pair.dry : pair.here;
  const others = pair.renders.filter((r) => r.id !== reference.id);
  return (
    <View
      shown={shown}
      onShown={setShown}
      options={[
        { value: "table", title: "Table", figure: "residual" },
        { value: "map", title: "Map", figure: "similarity", hint: "Renders that sound alike lie close together" },
      ]}
      choices={
        shown === "table" &&
        (hasDryBeside(pair) || pair.here.id !== pair.dry.id) && (
          <QuickSelect
            label="Re"
            title="re"
            value={against}
            onChange={setAgainst}
            options={[
              { value: "dry", title: "dry" },
              { value: "here", title: LABELS.here },
            ]}
          />
        )
      }
    >
      {shown === "table" ? (
        <CandidateTable key={reference.id} renders={others} reference={reference} pair={pair} region={region} />
      ) : (
        <AlikeMap pair={pair} region={region} />
      )}
    </View>
  );
}

const PHASES = {
  minimum: "minimum",
  linear: "linear",
  "all-pass": "all-pass",
  mixed: "mixed",
  none: "no phase shift",
  unknown: "not known",
} as const;

const pending = <span className="loading loading-dots loading-xs text-soft" role="img" aria-label="Working" />;

/** A figure of a cell: not known yet, none, silence, or itself. */
function figure(value: number | null | undefined, text: (v: number) => string): ReactNode {
  if (value === undefined) return pending;
  if (value === null) return <Figure text={NO_FIGURE} why={MISSING.notMeasured} />;
  return <Figure text={value <= SILENT_DB ? "silence" : text(value)} why={MISSING.noImprovement} />;
}

/** More than this no step takes but all of it. */
const MOST_DB = 250;
/** What a step took away, where it took something. */
const taken = (v: number) => (Math.abs(v) < 0.05 ? NO_FIGURE : v > MOST_DB ? "all" : number(v));
const db = (v: number) => number(v);

/** What each column shows, to be asked about. */
const ABOUT: Record<string, FigureKey> = {
  levelDb: "residualMatched",
  tone: "improvement",
  overTime: "improvement",
  bend: "improvement",
  left: "residual",
  toneApart: "eqDifference",
  gain: "gainRange",
  crest: "crestDifference",
  phase: "phaseKind",
  telling: "mostAudible",
};

const column = createColumnHelper<CandidateRow>();
/** TanStack sorts what is undefined last; what has no figure is as good as undefined. */
const of = (key: keyof CandidateRow) => (row: CandidateRow) => row[key] ?? undefined;

type RowFigure =
  | "levelDb"
  | "eqImprovementDb"
  | "gainOverTimeImprovementDb"
  | "saturationImprovementDb"
  | "residualDb"
  | "eqDifferenceDb"
  | "gainRangeDb"
  | "crestDb";

const figureColumn = (id: string, header: string, key: RowFigure, text: (v: number) => string = db) =>
  column.accessor(of(key), { id, header, cell: ({ row }) => figure(row.original[key], text) });

const COLUMNS = [
  column.accessor("title", { header: "Render", cell: (c) => c.getValue() }),
  figureColumn("levelDb", "Matched, dB", "levelDb"),
  figureColumn("tone", "EQ, dB", "eqImprovementDb", taken),
  figureColumn("overTime", "Gain over time, dB", "gainOverTimeImprovementDb", taken),
  figureColumn("bend", "Saturation, dB", "saturationImprovementDb", taken),
  figureColumn("left", "Residual, dB", "residualDb"),
  figureColumn("toneApart", "EQ difference, dB", "eqDifferenceDb", (v) => number(v, 2)),
  figureColumn("gain", "Gain range, dB", "gainRangeDb"),
  figureColumn("crest", "Crest factor difference, dB", "crestDb"),
  column.accessor((row) => row.phase, {
    id: "phase",
    header: "Phase",
    cell: ({ row }) => (row.original.phase ? PHASES[row.original.phase] : pending),
  }),
  column.accessor(of("probability"), {
    id: "telling",
    header: "Most audible",
    cell: ({ row: { original } }) =>
      original.moment === undefined ? (
        pending
      ) : original.moment ? (
        <span title={rangeOfHertz(original.moment.lowHertz, original.moment.highHertz)}>
          {chanceWords(original.moment.probability)} at {timeWords(original.moment.startSeconds)}
        </span>
      ) : (
        <Figure text={NO_FIGURE} why={MISSING.noMoment} />
      ),
  }),
];

type TableProps = { renders: readonly Render[]; reference: Render; pair: Pair; region: Region };

function CandidateTable({ renders, reference, pair, region }: TableProps) {
  const { titleOf } = useWorkbench();
  const { rows, isWorking } = useCandidateRows(renders, reference, pair, region, titleOf);
  const [sorting, setSorting] = useState<SortingState>([]);
  const table = useReactTable({
    data: rows,
    columns: COLUMNS,
    state: { sorting },
    onSortingChange: setSorting,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    defaultColumn: { sortUndefined: "last", sortDescFirst: false },
    getRowId: (row) => row.render.id,
    // There are no pages to go back to the first of: rows are worked out anew at every look, and each reset would be another.
    autoResetAll: false,
  });
  if (renders.length === 0) return <Instead>This passage has only one render. Add others at Gather.</Instead>;
  const known = rows.filter((r) => r.ladder).length;
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-1.5">
      <section
        aria-label={LABELS.allCandidates}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls is scrolled by keys
        tabIndex={0}
        className="min-h-0 flex-1 overflow-auto rounded-lg border border-rule bg-base-100"
      >
        <table className="table-xs table">
          <SortedHead
            about={(id) => ABOUT[id]}
            table={table}
            look={(i) => `whitespace-nowrap px-1.5 ${i > 0 ? "text-right" : "sticky left-0 bg-base-100"}`}
          />
          <tbody>
            {table.getRowModel().rows.map((row) => (
              <tr key={row.id} data-testid="candidate-row">
                {row.getVisibleCells().map((cell, i) => (
                  <td
                    key={cell.id}
                    className={`whitespace-nowrap px-1.5 ${i > 0 ? "figure text-right" : "sticky left-0 bg-base-100 font-medium"}`}
                  >
                    {i === 0 ? (
                      <SideButtons pair={pair} render={row.original.render}>
                        {row.original.title}
                      </SideButtons>
                    ) : (
                      flexRender(cell.column.columnDef.cell, cell.getContext())
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <div className="flex items-center gap-3 text-[11.5px] text-soft">
        <span className="flex-1">
          dB re {titleOf(reference)}: residual when matched, improvement by each step, residual; EQ difference, gain
          range, crest factor.
          {isWorking && (
            <span role="status">
              {" "}
              <span className="loading loading-spinner loading-xs" /> {known} of {rows.length} analysed
            </span>
          )}
        </span>
        <button
          type="button"
          aria-label={LABELS.saveAsCSV}
          className="btn btn-ghost btn-xs h-6 gap-1 px-1.5 font-normal text-[11px]"
          onClick={() => saveCsv(csvOfRows(rows), `${pair.passage.title} candidates`)}
        >
          <Sheet size={13} /> {LABELS.csv}
        </button>
      </div>
    </div>
  );
}

/** A render's name, which makes it Yonder when pressed; a word where it is one of the pair already. */
function SideButtons({ pair, render, children }: { pair: Pair; render: Render; children: string }) {
  const side = render.id === pair.here.id ? "Here" : render.id === pair.yonder.id ? "Yonder" : null;
  return (
    <span className="flex items-center gap-1.5">
      <button
        type="button"
        className="max-w-44 cursor-pointer truncate text-left hover:underline"
        title={side ? children : `Make ${children} Yonder`}
        disabled={side !== null}
        onClick={() => void setSide(pair.passage, "yonder", render.id)}
      >
        {children}
      </button>
      {side && (
        <span
          className={`rounded px-1 text-[10px] ${side === "Here" ? "bg-here text-here-ink" : "bg-yonder text-yonder-ink"}`}
        >
          {side}
        </span>
      )}
    </span>
  );
}

/** A figure of a file: silence by its word, and nothing where a step took all of it or there is none. */
const csvFigure = (v: number | null | undefined): number | string | null => {
  if (v === null || v === undefined || v > MOST_DB) return null;
  return v <= SILENT_DB ? "silence" : Number(v.toFixed(3));
};

/** All candidates as a table for files. */
export const csvOfRows = (rows: readonly CandidateRow[]) => ({
  columns: [
    "Render",
    "Residual when matched, dB",
    "EQ improves, dB",
    "Gain over time improves, dB",
    "Saturation improves, dB",
    "Residual, dB",
    "EQ difference, dB",
    "Gain range, dB",
    "Crest factor difference, dB",
    "Phase",
    "Most audible from, s",
    "Most audible to, s",
    "Chance of being heard",
  ],
  rows: rows.map((r) => [
    r.title,
    ...[
      r.levelDb,
      r.eqImprovementDb,
      r.gainOverTimeImprovementDb,
      r.saturationImprovementDb,
      r.residualDb,
      r.eqDifferenceDb,
      r.gainRangeDb,
      r.crestDb,
    ].map(csvFigure),
    r.phase ?? null,
    r.moment?.startSeconds ?? null,
    r.moment?.endSeconds ?? null,
    r.probability ?? null,
  ]),
});

/** About as wide as it is high: what is laid across has so much more room. */
const ASPECT = 1.8;
const LEAST_REACH_DB = 0.1;
/** A map that hides more of the distances than this says so plainly. */
const POOR_STRESS = 0.2;

function AlikeMap({ pair, region }: { pair: Pair; region: Region }) {
  const { titleOf } = useWorkbench();
  const { map, apart, known } = useAlike(pair.renders, pair, region);
  const [view, setView] = useState<Span | null>(null);
  const reach = useMemo(
    () => Math.max(LEAST_REACH_DB, ...(map?.places ?? []).map(([x, y]) => Math.max(Math.abs(x), Math.abs(y) * ASPECT))),
    [map],
  );
  if (!map)
    return (
      <p className="flex items-center gap-2 text-[13px] text-soft" role="status">
        <span className="loading loading-spinner loading-xs" /> {known} of {pair.renders.length} estimating audibility…
      </p>
    );
  const whole: Span = [-1.25 * reach, 1.25 * reach];
  const styleOf = (render: Render) =>
    render.id === pair.here.id
      ? { fill: "var(--here)", word: "Here" }
      : render.id === pair.yonder.id
        ? { fill: "var(--yonder)", word: "Yonder" }
        : { fill: "var(--soft-ink)", word: render.id === pair.dry.id ? "dry" : "" };
  const placeOf = ({ x, height }: Plot, i: number) => {
    const perDb = x(1) - x(0);
    return { px: x(map.places[i][0]), py: height / 2 - perDb * map.places[i][1] };
  };
  return (
    <ChartPanel
      name={`${pair.passage.title} similarity`}
      legend={[]}
      note={`Distance: mean difference of excitation in the ear model (estimate). ${
        map.stress > POOR_STRESS
          ? `The map distorts these by ${withUnit(number(100 * map.stress, 0), "%")}.`
          : `Map error ${withUnit(number(100 * map.stress, 0), "%")}.`
      }`}
      table={() => ({
        columns: ["Render", ...pair.renders.map((r) => `${titleOf(r)}, dB`)],
        rows: pair.renders.map((r, i) => [titleOf(r), ...apart[i].map((v) => v && Number(v.toFixed(3)))]),
      })}
    >
      <ChartFrame
        label="Similarity of renders"
        whole={whole}
        view={viewWithin(view, whole)}
        onView={setView}
        titleX="Distance, dB (both directions)"
        formatX={(v) => withUnit(signed(v, reach < 2 ? 1 : 0), "dB")}
        readout={(x) => {
          const near = pair.renders
            .map((r, i) => ({ r, i, away: Math.abs(map.places[i][0] - x) }))
            .reduce((a, b) => (b.away < a.away ? b : a));
          return (
            <span className="figure">
              {titleOf(near.r)}:{" "}
              {pair.renders
                .map((r, j) => ({ title: titleOf(r), db: apart[near.i][j] ?? 0, j }))
                .filter(({ j }) => j !== near.i)
                .toSorted((a, b) => a.db - b.db)
                .slice(0, 3)
                .map(({ title, db: away }) => `${title} ${withUnit(number(away, 2), "dB")}`)
                .join(", ")}
            </span>
          );
        }}
      >
        {(plot) => {
          const placed = pair.renders.map((render, i) => ({ render, ...placeOf(plot, i) }));
          const labelYs = spread(placed);
          return placed.map(({ render, px, py }, i) => {
            const { fill, word } = styleOf(render);
            const isRight = px > plot.width * 0.75;
            const side = isRight ? -1 : 1;
            return (
              <g key={render.id}>
                <circle cx={px} cy={py} r={word === "Here" || word === "Yonder" ? 6 : 4} fill={fill} />
                <path
                  d={`M${px + 6 * side},${py}L${px + 16 * side},${labelYs[i]}`}
                  stroke="var(--soft-ink)"
                  strokeWidth={0.75}
                  fill="none"
                />
                <text
                  x={px + 19 * side}
                  y={labelYs[i]}
                  dy="0.32em"
                  textAnchor={isRight ? "end" : "start"}
                  className="fill-base-content text-[12px]"
                >
                  {titleOf(render)}
                  {word && titleOf(render).toLowerCase() !== word ? ` (${word})` : ""}
                </text>
              </g>
            );
          });
        }}
      </ChartFrame>
    </ChartPanel>
  );
}

/** Labels this near each other would lie on one another, pixels. */
const LABEL_HEIGHT = 14;
const LABEL_WIDTH = 180;

/** Heights of labels beside their places, moved down where one lies on another. */
export function spread(placed: readonly { px: number; py: number }[]): number[] {
  const ys = placed.map(({ py }) => py);
  const order = [...placed.keys()].toSorted((a, b) => placed[a].py - placed[b].py);
  for (const [n, i] of order.entries()) {
    for (const j of order.slice(0, n)) {
      const isBeside = Math.abs(placed[i].px - placed[j].px) < LABEL_WIDTH;
      if (isBeside && ys[i] < ys[j] + LABEL_HEIGHT && ys[i] > ys[j] - LABEL_HEIGHT) ys[i] = ys[j] + LABEL_HEIGHT;
    }
  }
  return ys;
}
