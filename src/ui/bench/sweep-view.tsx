"use client";

import { useEffect, useState } from "react";
import {
  type Fold,
  foldedHertz,
  foldsSeen,
  PICTURE_COLUMNS,
  PICTURE_FLOOR_DB,
  PICTURE_ORDERS,
  PICTURE_ROWS,
  type SweepPicture,
  sentHertz,
} from "@/core/bench/read/sweep-picture";
import { frequencyWords, number, withUnit } from "@/core/words/units";
import { ChartFrame, type Plot, type Span, viewWithin } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { shortHertz } from "@/ui/charts/frequency-axis";
import { paintCells } from "@/ui/charts/spectrogram-image";
import { useThemeColours } from "@/ui/charts/theme-colours";
import { Instead } from "@/ui/shell/view";
import type { MeasuredSubject } from "./use-bench";

/** So far under the sweep the picture is still painted (dB). */
const FAINTEST_DB = -110;
const LOUDEST_DB = 6;
/** Room for a label between two lines (pixels), how high up it stands, and how faint an alias is drawn at least. */
const LABEL_WIDTH = 24;
const LABEL_HEIGHT = 0.9;
const LEAST_OPACITY = 0.2;
const MOST_PICTURES = 4;
/** Lines of no more orders are drawn: beyond them they lie too close to be read. */
const MOST_ORDER = 7;

/** What came back over what was sent, of a sweep, with its harmonics drawn in and what aliases marked; up to four side by side. */
export function SweepView({ measured }: { measured: readonly MeasuredSubject[] }) {
  const shown = measured.slice(0, MOST_PICTURES);
  return (
    <div className={`grid min-h-0 flex-1 gap-x-6 gap-y-2 ${shown.length > 1 ? "grid-cols-2" : ""}`}>
      {shown.map((subject) =>
        subject.report.picture ? (
          <SweepChart key={subject.key} subject={subject} picture={subject.report.picture} />
        ) : (
          <Instead key={subject.key}>
            {subject.title} was measured by an earlier version: add its recording again to see the sweep.
          </Instead>
        ),
      )}
    </div>
  );
}

/** Aliases are looked for once a picture. */
const seen = new WeakMap<SweepPicture, Fold[]>();

function foldsOf(picture: SweepPicture): Fold[] {
  const folds = seen.get(picture) ?? foldsSeen(picture);
  seen.set(picture, folds);
  return folds;
}

/** "H3 aliases, up to −22 dB", by the loudest. */
export function foldWords(picture: SweepPicture | undefined): string | undefined {
  if (!picture) return undefined;
  const folds = foldsOf(picture);
  if (folds.length === 0) return "no aliasing visible";
  const orders = [...new Set(folds.map(({ order }) => `H${order}`))];
  const loudest = folds.reduce((a, b) => (b.levelDb > a.levelDb ? b : a));
  return `aliasing of ${orders.join(", ")}, H${loudest.order} up to ${withUnit(number(loudest.levelDb, 0), "dB")}`;
}

function SweepChart({ subject, picture }: { subject: MeasuredSubject; picture: SweepPicture }) {
  const theme = useThemeColours();
  const [view, setView] = useState<Span | null>(null);
  const [url, setUrl] = useState("");
  const half = picture.sampleRateHz / 2;
  const whole: Span = [0, half];
  const folds = foldsOf(picture);
  const colour = theme[subject.side ?? "ink"];
  useEffect(() => {
    const ramp = { low: FAINTEST_DB, high: LOUDEST_DB, colours: [theme.paper, colour] };
    setUrl(
      paintCells(PICTURE_COLUMNS, PICTURE_ROWS, ramp, (column, row) => {
        const db = picture.levelsDb[column * PICTURE_ROWS + PICTURE_ROWS - 1 - row];
        return db <= FAINTEST_DB ? Number.NaN : db;
      }),
    );
  }, [picture, theme.paper, colour]);
  return (
    <div className="flex min-h-0 min-w-0 flex-col gap-1">
      <h3 className="truncate text-[13px]">{subject.title}</h3>
      <ChartPanel
        name={`Bench sweep ${subject.title}`}
        legend={[
          { title: "harmonics", colour: "var(--color-base-content)", width: 1 },
          { title: "would alias", colour: "var(--color-base-content)", width: 1, dash: "2 4" },
          { title: "aliasing", colour: "var(--color-base-content)", width: 3 },
        ]}
        note=""
        table={() => tableOf(picture)}
      >
        <ChartFrame
          label={`Output vs input frequency: ${subject.title}`}
          whole={whole}
          view={viewWithin(view, whole)}
          onView={setView}
          levels={whole}
          titleX="Input frequency, Hz"
          titleY="Output frequency, Hz"
          formatX={shortHertz}
          formatY={shortHertz}
          readout={(sent, came) => (
            <span className="figure">
              input {frequencyWords(sent)}, output {frequencyWords(came)}{" "}
              {withUnit(number(cellAt(picture, sent, came), 0), "dB")}
            </span>
          )}
        >
          {(plot) => (
            <>
              {url && (
                <image
                  href={url}
                  x={plot.x(0)}
                  y={0}
                  width={plot.x(half) - plot.x(0)}
                  height={plot.height}
                  preserveAspectRatio="none"
                />
              )}
              <Orders plot={plot} rateHz={picture.sampleRateHz} folds={folds} />
            </>
          )}
        </ChartFrame>
      </ChartPanel>
    </div>
  );
}

/** Where harmonics lie, where they would alias back to, and where they are seen to. */
function Orders({ plot, rateHz, folds }: { plot: Plot; rateHz: number; folds: readonly Fold[] }) {
  const half = rateHz / 2;
  const at = (sent: number, order: number) => `${plot.x(sent)},${plot.y(foldedHertz(order * sent, rateHz))}`;
  // Straight from turn to turn.
  const turns = (order: number, from: number, to: number) =>
    [
      from,
      ...Array.from({ length: order }, (_, n) => ((n + 1) * half) / order).filter((hz) => hz > from && hz < to),
      to,
    ]
      .map((hz) => at(hz, order))
      .join("L");
  return (
    <g fill="none" stroke="var(--color-base-content)">
      {PICTURE_ORDERS.filter((order) => order <= MOST_ORDER).map((order) => (
        <g key={order} strokeOpacity={0.55}>
          <path d={`M${at(0, order)}L${at(half / order, order)}`} />
          <path d={`M${turns(order, half / order, half)}`} strokeDasharray="2 4" />
          {plot.x(half / order) - plot.x(half / (order + 1)) > LABEL_WIDTH && (
            <text
              x={plot.x((half * LABEL_HEIGHT) / order) - 4}
              y={plot.y(half * LABEL_HEIGHT)}
              textAnchor="end"
              stroke="none"
              className="figure fill-base-content text-[11px]"
            >
              H{order}
            </text>
          )}
        </g>
      ))}
      {folds.map(({ order, fromHz, toHz, levelDb }) => (
        <path
          key={`${order} ${fromHz}`}
          d={`M${turns(order, fromHz, toHz)}`}
          strokeWidth={3}
          strokeLinecap="round"
          strokeOpacity={Math.max(LEAST_OPACITY, Math.min(1, 1 - levelDb / FAINTEST_DB))}
        />
      ))}
    </g>
  );
}

function cellAt({ levelsDb, sampleRateHz }: SweepPicture, sent: number, came: number): number {
  const part = (hertz: number, cells: number) =>
    Math.min(cells - 1, Math.max(0, Math.floor((hertz * 2 * cells) / sampleRateHz)));
  return levelsDb[part(sent, PICTURE_COLUMNS) * PICTURE_ROWS + part(came, PICTURE_ROWS)];
}

const tableOf = ({ levelsDb, sampleRateHz }: SweepPicture) => ({
  columns: ["Cell", "Input frequency, Hz", "Output frequency, Hz", "Level, dB"],
  rows: levelsDb.flatMap((db, i) => {
    if (db <= PICTURE_FLOOR_DB) return [];
    const column = Math.floor(i / PICTURE_ROWS);
    const came = ((i - column * PICTURE_ROWS + 0.5) * sampleRateHz) / 2 / PICTURE_ROWS;
    return [[i, Math.round(sentHertz(column, sampleRateHz)), Math.round(came), db]];
  }),
});
