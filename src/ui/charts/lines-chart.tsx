"use client";

import { type ReactNode, useState } from "react";
import { ChartFrame, type Plot, type Span, viewWithin } from "./chart-frame";
import { ChartPanel, type LegendLine } from "./chart-panel";

/** A line: values at the chart's places, NaN where there is none. */
export type Curve = LegendLine & { values: ArrayLike<number> };

type Props = {
  /** What files of it are called. */
  name: string;
  label: string;
  /** Where the values stand, in rising order: `xTitle` names them in tables. */
  xs: ArrayLike<number>;
  xTitle: string;
  /** What the axis is called where its ticks have another form than the table: minutes and seconds. */
  axisTitle?: string;
  whole: Span;
  isLog?: boolean;
  ticksX?: (view: Span) => readonly number[];
  formatX: (x: number) => string;
  /** The place under the cursor, in full. */
  readX: (x: number) => string;
  curves: readonly Curve[];
  levels: Span;
  formatY: (y: number, decimals: number) => string;
  /** A value under the cursor, with its unit. */
  readY: (y: number) => string;
  /** What the lines show: "Gain"; the axis reads "Gain, dB". */
  quantity: string;
  unit: string;
  note?: ReactNode;
  /** Drawn where a line of nought is to be seen. */
  hasZero?: boolean;
  hasFrequency?: boolean;
  /** What lies over the lines. */
  over?: (plot: Plot) => ReactNode;
};

/** Lines over one axis, with all that belongs to a chart. */
export function LinesChart(props: Props) {
  const { name, label, xs, xTitle, whole, isLog, ticksX, formatX, readX, curves, levels, formatY, readY } = props;
  const { quantity, unit, note, hasZero = false, hasFrequency, over, axisTitle = xTitle } = props;
  const [view, setView] = useState<Span | null>(null);
  const seen = viewWithin(view, whole);
  return (
    <ChartPanel
      name={name}
      legend={curves}
      note={note}
      hasFrequency={hasFrequency}
      table={() => ({
        columns: [xTitle, ...curves.map(({ title }) => `${title}, ${unit}`)],
        rows: Array.from(xs, (x, i) => [
          Number(x.toPrecision(7)),
          ...curves.map(({ values }) => (Number.isFinite(values[i]) ? Number(values[i].toFixed(4)) : null)),
        ]),
      })}
    >
      <ChartFrame
        label={label}
        whole={whole}
        view={seen}
        onView={setView}
        isLog={isLog}
        levels={levels}
        ticksX={ticksX?.(seen)}
        titleX={axisTitle}
        titleY={`${quantity}, ${unit}`}
        formatX={formatX}
        formatY={formatY}
        readout={(x) => (
          <span className="figure">
            {readX(x)}{" "}
            {curves.map(({ title, values, colour }) => (
              <span key={title} style={{ color: colour }}>
                {" "}
                {title} {readY(values[nearest(xs, x)])}
              </span>
            ))}
          </span>
        )}
      >
        {(plot) => (
          <>
            {hasZero && <line x2={plot.width} y1={plot.y(0)} y2={plot.y(0)} stroke="var(--soft-ink)" />}
            {curves.map(({ title, values, colour, width, dash }) => (
              <path
                key={title}
                d={linePath(xs, values, plot)}
                fill="none"
                stroke={colour}
                strokeWidth={width}
                strokeDasharray={dash}
                strokeLinejoin="round"
              />
            ))}
            {over?.(plot)}
          </>
        )}
      </ChartFrame>
    </ChartPanel>
  );
}

/** Index of the place nearest to one, of places in rising order. */
export function nearest(xs: ArrayLike<number>, x: number): number {
  let [low, high] = [0, xs.length - 1];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (xs[middle] <= x) low = middle;
    else high = middle;
  }
  return high > low && Math.abs(xs[high] - x) < Math.abs(xs[low] - x) ? high : low;
}

/**
 * A line through values, broken where there is none; where several fall on one pixel, through the lowest and the highest of it, so that a line of a
 * hundred thousand costs no more than the screen is wide.
 */
export function linePath(xs: ArrayLike<number>, values: ArrayLike<number>, { x, y, width }: Plot): string {
  const [left, right] = x.domain();
  const from = Math.max(0, nearest(xs, left) - 1);
  const to = Math.min(xs.length - 1, nearest(xs, right) + 1);
  const isDense = to - from > 2 * width;
  const parts: string[] = [];
  let isOpen = false;
  const put = (px: number, py: number) => {
    parts.push(`${isOpen ? "L" : "M"}${px.toFixed(2)},${py.toFixed(2)}`);
    isOpen = true;
  };
  for (let i = from; i <= to; ) {
    const px = x(xs[i]);
    // A place that the axis cannot show, such as nought by its logarithm, is none.
    if (!isDense || !Number.isFinite(px)) {
      if (Number.isFinite(values[i]) && Number.isFinite(px)) put(px, y(values[i]));
      else isOpen = false;
      i++;
      continue;
    }
    const end = Math.floor(px) + 1;
    let [low, high, known] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, 0];
    for (; i <= to && x(xs[i]) < end; i++) {
      const value = values[i];
      if (!Number.isFinite(value)) continue;
      known++;
      if (value < low) low = value;
      if (value > high) high = value;
    }
    if (known === 0) {
      isOpen = false;
      continue;
    }
    put(end - 0.5, y(high));
    if (low < high) put(end - 0.5, y(low));
  }
  return parts.join("");
}

/** From the lowest to the highest of some values, with a little room; at least so far about a middle. */
export function spanOf(values: Iterable<number>, least: Span): Span {
  let [low, high] = least;
  for (const v of values) {
    if (!Number.isFinite(v)) continue;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  const room = 0.08 * (high - low);
  return [low - room, high + room];
}
