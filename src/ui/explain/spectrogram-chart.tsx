"use client";

import { useMemo, useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import { PIECE_COLUMNS, rowEdges, SPECTROGRAM_ROWS, type SpectrogramPiece } from "@/core/spectrum/spectrogram";
import { axisClock, clock, frequencyWords, number, signed, withUnit } from "@/core/words/units";
import type { Source } from "@/store/explaining";
import type { Region } from "@/store/records";
import { ChartFrame, type Plot, type Span, viewWithin } from "@/ui/charts/chart-frame";
import { ChartPanel } from "@/ui/charts/chart-panel";
import { frequencyMarks, shortHertz, useFrequencyAxis } from "@/ui/charts/frequency-axis";
import { cellDb, type Painting, type Ramp, useImages } from "@/ui/charts/spectrogram-image";
import { useThemeColours } from "@/ui/charts/theme-colours";
import { LABELS } from "@/ui/labels";
import { PlayheadLine } from "@/ui/shell/playhead-line";
import type { Pair } from "@/ui/shell/workbench";
import { type Piece, usePieces } from "./pieces";
import { sourceKey } from "./sources";

/** What is drawn: one sound in its colour, or what the second has over the first. */
export type Drawn =
  | { of: "one"; source: Source; gainDb: number; colour: "here" | "yonder" | "difference" | "ink"; title: string }
  | { of: "two"; first: Source; second: Source; gainsDb: readonly [number, number] };

type Props = {
  name: string;
  pair: Pair;
  region: Region;
  drawn: Drawn;
  channels: ChannelView;
  points: number;
  /** Of one sound: how far under the loudest is still drawn; of two: how much is full colour. dB */
  depthDb: number;
};

/** What is this far under the loudest of both is not held against each other. */
const COMPARED_DB = 90;
/** Columns are at least this part of a segment long: between them there is nothing more to see. */
const LEAST_OF_SEGMENT = 1 / 16;
/** Bands that a table has, each of so many rows. */
const ROWS_A_BAND = 8;

/** A spectrogram over time with pan and zoom: coarse at once, then as fine as the screen shows. */
export function SpectrogramChart({ name, pair, region, drawn, channels, points, depthDb }: Props) {
  const isLog = useFrequencyAxis((axis) => axis.isLog);
  const rateHz = pair.dry.sampleRateHz;
  const whole: Span = [region.startFrame / rateHz, region.endFrame / rateHz];
  const [view, setView] = useState<Span | null>(null);
  const seen = viewWithin(view, whole);
  const inFrames = ([from, to]: Span): Span => [from * rateHz, to * rateHz];
  const asked = {
    name: "spectrogram" as const,
    pair,
    whole: inFrames(whole),
    view: inFrames(seen),
    columns: PIECE_COLUMNS,
    least: Math.max(1, Math.round(points * LEAST_OF_SEGMENT)),
    more: { view: channels, points, isLog },
  };
  const first = usePieces({ ...asked, source: drawn.of === "one" ? drawn.source : drawn.first });
  const second = usePieces({ ...asked, source: drawn.of === "one" ? drawn.source : drawn.second });
  const theme = useThemeColours();
  const loudest = useMemo(() => loudestOf([...first.pieces, ...second.pieces]), [first.pieces, second.pieces]);
  const ramp: Ramp =
    drawn.of === "one"
      ? {
          low: loudest + drawn.gainDb - depthDb,
          high: loudest + drawn.gainDb,
          colours: [theme.paper, theme[drawn.colour], theme.ink],
        }
      : { low: -depthDb, high: depthDb, colours: [theme.here, theme.paper, theme.yonder] };
  // Whatever makes another picture of a piece: what was painted of another source never stands in for it.
  const shownKey = [
    ...(drawn.of === "one" ? [drawn.source] : [drawn.first, drawn.second]).flatMap((source) => sourceKey(source, pair)),
    channels,
    points,
    isLog,
  ].join(" ");
  const painted = first.pieces.flatMap((piece) => {
    const over = drawn.of === "two" ? second.pieces.find((p) => isSame(p, piece)) : null;
    if (over === undefined) return [];
    const painting: Painting = {
      levels: piece.data.levels,
      over: over?.data.levels ?? null,
      offsetDb: drawn.of === "one" ? drawn.gainDb : 0,
      floorDb: loudest - COMPARED_DB,
      gainsDb: drawn.of === "two" ? drawn.gainsDb : [0, 0],
    };
    return [{ key: `${shownKey} ${piece.startFrame} ${piece.columnFrames}`, painting, piece }];
  });
  const images = useImages(painted, ramp);
  const edges = rowEdges(rateHz, isLog);
  const levels: Span = isLog ? [edges[0], edges[SPECTROGRAM_ROWS]] : [0, rateHz / 2];
  const problem = first.problem ?? second.problem;
  const isTwo = drawn.of === "two";
  const cellAt = (seconds: number, hertz: number): number => {
    const row = rowAt(edges, hertz);
    // The finest that is there.
    for (const { piece, painting } of painted.toReversed()) {
      const column = Math.floor((seconds * rateHz - piece.startFrame) / piece.columnFrames);
      if (column >= 0 && column < PIECE_COLUMNS) return cellDb(painting, column * SPECTROGRAM_ROWS + row);
    }
    return Number.NaN;
  };
  const unit = isTwo ? "dB" : "dBFS";
  const say = (db: number) => withUnit(isTwo ? signed(db) : number(db), unit);
  return (
    <ChartPanel
      name={name}
      legend={[]}
      hasFrequency
      note={
        <span className="flex items-center justify-end gap-3">
          {problem ??
            (first.isWorking || second.isWorking ? (
              <span className="flex items-center gap-1.5" role="status">
                <span className="loading loading-spinner loading-xs" /> {LABELS.refining}
              </span>
            ) : (
              `${withUnit(number((1000 * points) / rateHz, 0), "ms")} segments`
            ))}
          <RampLegend ramp={ramp} isTwo={isTwo} />
        </span>
      }
      table={() => tableOf(seen, edges, cellAt, isTwo)}
    >
      <ChartFrame
        label={isTwo ? "Spectrogram: Yonder re Here" : `Spectrogram of ${drawn.title}`}
        whole={whole}
        view={seen}
        onView={setView}
        levels={levels}
        isLogY={isLog}
        ticksY={isLog ? frequencyMarks([20, rateHz / 2]) : undefined}
        titleX="Time, min:s"
        titleY="Frequency, Hz"
        formatX={axisClock}
        formatY={shortHertz}
        readout={(seconds, hertz) =>
          hertz >= levels[0] && hertz <= levels[1] ? (
            <span className="figure">
              {clock(seconds)} {frequencyWords(hertz)} {say(cellAt(seconds, hertz))}
            </span>
          ) : null
        }
      >
        {(plot) => (
          <>
            {painted.map(({ key, piece }, i) => (
              <PieceImage key={key} plot={plot} piece={piece} rateHz={rateHz} url={images[i]} />
            ))}
            <PlayheadLine plot={plot} sampleRateHz={rateHz} />
          </>
        )}
      </ChartFrame>
    </ChartPanel>
  );
}

const isSame = (a: Piece<unknown>, b: Piece<unknown>) =>
  a.startFrame === b.startFrame && a.columnFrames === b.columnFrames;

function PieceImage({
  plot,
  piece,
  rateHz,
  url,
}: {
  plot: Plot;
  piece: Piece<unknown>;
  rateHz: number;
  url: string | null;
}) {
  if (!url) return null;
  const left = plot.x(piece.startFrame / rateHz);
  const right = plot.x((piece.startFrame + PIECE_COLUMNS * piece.columnFrames) / rateHz);
  if (right < 0 || left > plot.width) return null;
  // A hair wider, so that no seam shows between two pieces.
  return <image href={url} x={left} width={right - left + 0.5} height={plot.height} preserveAspectRatio="none" />;
}

/** The loudest cell of some pieces, rounded up to 6 dB; coarse ones are enough. */
function loudestOf(pieces: readonly Piece<SpectrogramPiece>[]): number {
  let most = -12_000;
  const coarse = Math.max(0, ...pieces.map((p) => p.columnFrames));
  for (const { data, columnFrames } of pieces) {
    if (columnFrames !== coarse) continue;
    for (const level of data.levels) if (level > most) most = level;
  }
  return Math.ceil(most / 600) * 6;
}

function rowAt(edges: Float64Array, hertz: number): number {
  let row = 0;
  while (row < SPECTROGRAM_ROWS - 1 && edges[row + 1] <= hertz) row++;
  return row;
}

function RampLegend({ ramp, isTwo }: { ramp: Ramp; isTwo: boolean }) {
  const stops = ramp.colours.join(", ");
  return (
    <span className="figure flex items-center gap-1.5 text-[11px]">
      {isTwo ? `Here louder ${number(ramp.high, 0)}` : number(ramp.low, 0)}
      <span
        aria-hidden="true"
        className="h-2.5 w-24 rounded-sm border border-rule"
        style={{ background: `linear-gradient(to right, ${stops})` }}
      />
      {isTwo ? `${withUnit(number(ramp.high, 0), "dB")} Yonder louder` : withUnit(number(ramp.high, 0), "dBFS")}
    </span>
  );
}

/** Columns of a table over what is in sight. */
const TABLE_COLUMNS = 400;

function tableOf(
  [from, to]: Span,
  edges: Float64Array,
  cellAt: (seconds: number, hertz: number) => number,
  isTwo: boolean,
) {
  const bands = Array.from({ length: SPECTROGRAM_ROWS / ROWS_A_BAND }, (_, b) => {
    const row = b * ROWS_A_BAND + ROWS_A_BAND / 2;
    return (edges[row] + edges[row + 1]) / 2;
  });
  return {
    columns: ["Time, s", ...bands.map((hz) => `${number(hz, 0)} Hz, ${isTwo ? "dB" : "dBFS"}`)],
    rows: Array.from({ length: TABLE_COLUMNS }, (_, i) => {
      const seconds = from + ((i + 0.5) * (to - from)) / TABLE_COLUMNS;
      return [
        Number(seconds.toFixed(4)),
        ...bands.map((hz) => {
          const level = cellAt(seconds, hz);
          return Number.isFinite(level) ? Number(level.toFixed(2)) : null;
        }),
      ];
    }),
  };
}
