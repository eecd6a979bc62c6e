"use client";

import { useState } from "react";
import type { ChannelView } from "@/core/audio/channel-view";
import type { Overview } from "@/core/audio/overview";
import { axisClock, clock, NO_FIGURE, number } from "@/core/words/units";
import type { Source } from "@/store/explaining";
import type { Region } from "@/store/records";
import { ChartFrame, type Plot, type Span, viewWithin } from "@/ui/charts/chart-frame";
import { ChartPanel, type LegendLine } from "@/ui/charts/chart-panel";
import { DOT_PIXELS } from "@/ui/charts/trace-path";
import { LABELS } from "@/ui/labels";
import { PlayheadLine } from "@/ui/shell/playhead-line";
import type { Pair } from "@/ui/shell/workbench";
import { type Piece, usePieces } from "./pieces";
import { renderSource } from "./sources";

const COLUMNS = 512;

const HERE: LegendLine = { title: LABELS.here, colour: "var(--here)", width: 1.5 };
const YONDER: LegendLine = { title: LABELS.yonder, colour: "var(--yonder)", width: 1.5, dash: "6 3" };
const DIFFERENCE: LegendLine = { title: "Yonder − Here", colour: "var(--difference)", width: 1.5 };

type Props = {
  pair: Pair;
  region: Region;
  channels: ChannelView;
  gains: { here: number; yonder: number };
  /** Here at the gain that brings both to one level, dB: what the difference is of. */
  apartDb: number;
  hasDifference: boolean;
};

/** Both waveforms over each other, from all of it down to single samples. */
export function WaveformChart({ pair, region, channels, gains, apartDb, hasDifference }: Props) {
  const rateHz = pair.dry.sampleRateHz;
  const whole: Span = [region.startFrame / rateHz, region.endFrame / rateHz];
  const [view, setView] = useState<Span | null>(null);
  const seen = viewWithin(view, whole);
  const asked = {
    name: "extremes" as const,
    pair,
    whole: [region.startFrame, region.endFrame] as Span,
    view: [seen[0] * rateHz, seen[1] * rateHz] as Span,
    columns: COLUMNS,
    least: 1,
    more: { view: channels },
  };
  const here = usePieces({ ...asked, source: renderSource(pair.here) });
  const yonder = usePieces({ ...asked, source: renderSource(pair.yonder) });
  const difference: Source = { of: "difference", gainDb: apartDb };
  const apart = usePieces({ ...asked, source: hasDifference ? difference : renderSource(pair.here) });
  const sides = [
    { legend: HERE, pieces: here.pieces, gain: gains.here },
    { legend: YONDER, pieces: yonder.pieces, gain: gains.yonder },
    ...(hasDifference ? [{ legend: DIFFERENCE, pieces: apart.pieces, gain: gains.yonder }] : []),
  ];
  const inSight = sides.map(({ pieces }) => finest(pieces, asked.view));
  const most = Math.max(1e-5, ...sides.map(({ gain }, s) => gain * highest(inSight[s], asked.view)));
  const levels: Span = [-1.05 * most, 1.05 * most];
  const read = (side: number, seconds: number): string => {
    const frame = seconds * rateHz;
    for (const { startFrame, columnFrames, data } of inSight[side].toReversed()) {
      const column = Math.floor((frame - startFrame) / columnFrames + (columnFrames === 1 ? 0.5 : 0));
      if (column < 0 || column >= COLUMNS) continue;
      const [low, high] = [data.lows[column] * sides[side].gain, data.highs[column] * sides[side].gain];
      return columnFrames === 1 ? number(high, 5) : `${number(low, 3)} to ${number(high, 3)}`;
    }
    return NO_FIGURE;
  };
  const problem = here.problem ?? yonder.problem ?? apart.problem;
  const columnFrames = inSight[0].at(-1)?.columnFrames ?? 1;
  return (
    <ChartPanel
      name={`${pair.passage.title} waveforms`}
      legend={sides.map((s) => s.legend)}
      note={problem ?? (columnFrames === 1 ? LABELS.sampleBySample : `Minimum and maximum of ${columnFrames} samples`)}
      table={() => tableOf(asked.view, rateHz, sides, inSight)}
    >
      <ChartFrame
        label="Waveforms of Here and Yonder"
        whole={whole}
        view={seen}
        onView={setView}
        levels={levels}
        titleX="Time, min:s"
        titleY="Amplitude re full scale"
        formatX={axisClock}
        formatY={number}
        readout={(seconds) => (
          <span className="figure">
            {clock(seconds)}{" "}
            {sides.map(({ legend }, s) => (
              <span key={legend.title} style={{ color: legend.colour }}>
                {" "}
                {legend.title} {read(s, seconds)}
              </span>
            ))}
          </span>
        )}
      >
        {(plot) => (
          <>
            <line x2={plot.width} y1={plot.y(0)} y2={plot.y(0)} stroke="var(--soft-ink)" />
            {sides.map(({ legend, gain }, s) => (
              <Wave key={legend.title} plot={plot} pieces={inSight[s]} gain={gain} rateHz={rateHz} legend={legend} />
            ))}
            <PlayheadLine plot={plot} sampleRateHz={rateHz} />
          </>
        )}
      </ChartFrame>
    </ChartPanel>
  );
}

type Waves = readonly Piece<Overview>[];

/** The finest pieces where they cover what is in sight, else the coarse ones. */
function finest(pieces: Waves, [from, to]: Span): Waves {
  const least = Math.min(...pieces.map((p) => p.columnFrames));
  const fine = pieces.filter((p) => p.columnFrames === least);
  const covered = fine.reduce(
    (sum, { startFrame, columnFrames }) =>
      sum + Math.max(0, Math.min(to, startFrame + columnFrames * COLUMNS) - Math.max(from, startFrame)),
    0,
  );
  return covered >= to - from - 1 ? fine : pieces.filter((p) => p.columnFrames > least);
}

function* columnsOf(pieces: Waves, [from, to]: Span) {
  for (const { startFrame, columnFrames, data } of pieces) {
    const first = Math.max(0, Math.floor((from - startFrame) / columnFrames) - 1);
    const last = Math.min(COLUMNS - 1, Math.ceil((to - startFrame) / columnFrames) + 1);
    for (let c = first; c <= last; c++)
      yield { frame: startFrame + c * columnFrames, columnFrames, low: data.lows[c], high: data.highs[c] };
  }
}

function highest(pieces: Waves, view: Span): number {
  let most = 0;
  for (const { low, high } of columnsOf(pieces, view)) most = Math.max(most, -low, high);
  return most;
}

function Wave({
  plot,
  pieces,
  gain,
  rateHz,
  legend,
}: {
  plot: Plot;
  pieces: Waves;
  gain: number;
  rateHz: number;
  legend: LegendLine;
}) {
  const [from, to] = plot.x.domain();
  const points = [...columnsOf(pieces, [from * rateHz, to * rateHz])];
  if (points.length === 0) return null;
  const at = (x: number, y: number) => `${x.toFixed(2)},${y.toFixed(2)}`;
  if (points[0].columnFrames === 1) {
    const placed = points.map(({ frame, high }) => [plot.x(frame / rateHz), plot.y(high * gain)] as const);
    const isWide = placed.length > 1 && placed[1][0] - placed[0][0] >= DOT_PIXELS;
    return (
      <>
        <path
          d={`M${placed.map(([x, y]) => at(x, y)).join("L")}`}
          fill="none"
          stroke={legend.colour}
          strokeWidth={legend.width}
          strokeDasharray={legend.dash}
        />
        {isWide && (
          <path
            d={placed.map(([x, y]) => `M${at(x, y)}h0`).join("")}
            stroke={legend.colour}
            strokeWidth={5}
            strokeLinecap="round"
          />
        )}
      </>
    );
  }
  const top = points.map(({ frame, columnFrames, high }) =>
    at(plot.x((frame + columnFrames / 2) / rateHz), plot.y(high * gain)),
  );
  const bottom = points.map(({ frame, columnFrames, low }) =>
    at(plot.x((frame + columnFrames / 2) / rateHz), plot.y(low * gain)),
  );
  // Yonder is an outline, so that what lies under it keeps its colour.
  return (
    <path
      d={`M${top.join("L")}L${bottom.toReversed().join("L")}Z`}
      fill={legend.dash ? "none" : legend.colour}
      fillOpacity={0.5}
      stroke={legend.colour}
      strokeWidth={legend.dash ? 1 : 0.5}
    />
  );
}

function tableOf(
  view: Span,
  rateHz: number,
  sides: readonly { legend: LegendLine; gain: number }[],
  inSight: readonly Waves[],
) {
  const columns = inSight.map((pieces) => [...columnsOf(pieces, view)]);
  return {
    columns: ["Time, s", ...sides.flatMap(({ legend }) => [`${legend.title}, minimum`, `${legend.title}, maximum`])],
    rows: (columns[0] ?? []).map(({ frame }, i) => [
      Number((frame / rateHz).toFixed(6)),
      ...sides.flatMap(({ gain }, s) => {
        const one = columns[s]?.[i];
        return one ? [Number((one.low * gain).toFixed(7)), Number((one.high * gain).toFixed(7))] : [null, null];
      }),
    ]),
  };
}
