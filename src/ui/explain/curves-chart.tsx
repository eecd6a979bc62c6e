"use client";

import { line } from "d3-shape";
import { useState } from "react";
import { ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { ChartPanel, type LegendLine } from "@/ui/charts/chart-panel";
import { audible, frequencyMarks, nearestTo, shortHertz } from "@/ui/charts/frequency-axis";
import { hertzText, signed, withUnit } from "@/ui/format";

/** A line over frequency: values at the chart's frequencies, NaN where there is none. */
export type FrequencyCurve = LegendLine & { values: Float64Array };

type Props = {
  /** What files of it are called. */
  name: string;
  label: string;
  sampleRateHz: number;
  hertz: ArrayLike<number>;
  curves: readonly FrequencyCurve[];
  unit: string;
  /** Decimals under the cursor, and on the axis. */
  decimals: number;
  axisDecimals: number;
  /** No less than this to either side of nought is in sight. */
  least: number;
  note: string;
};

/** Lines over the logarithm of the frequency, about nought. */
export function CurvesChart(props: Props) {
  const { name, label, sampleRateHz, hertz, curves, unit, decimals, axisDecimals, least, note } = props;
  const [view, setView] = useState<Span | null>(null);
  const whole = audible(sampleRateHz);
  const draw = (plot: Plot, values: Float64Array) =>
    line<number>()
      .defined((v) => Number.isFinite(v))
      .x((_, i) => plot.x(hertz[i]))
      .y((v) => plot.y(v))(Array.from(values)) ?? "";
  return (
    <ChartPanel
      name={name}
      legend={curves}
      note={note}
      table={() => ({
        columns: ["Hz", ...curves.map(({ title }) => `${title}, ${unit}`)],
        rows: Array.from(hertz, (hz, i) => [
          Number(hz.toPrecision(6)),
          ...curves.map(({ values }) => (Number.isFinite(values[i]) ? Number(values[i].toFixed(4)) : null)),
        ]),
      })}
    >
      <ChartFrame
        label={label}
        whole={whole}
        view={view ?? whole}
        onView={setView}
        isLog
        levels={spanOf(
          curves.flatMap(({ values }) => [...values]),
          least,
        )}
        ticksX={frequencyMarks(view ?? whole)}
        formatX={shortHertz}
        formatY={(v) => signed(v, axisDecimals)}
        readout={(hz) => (
          <span className="figure">
            {hertzText(hz)}{" "}
            {curves.map(({ title, values, colour }) => (
              <span key={title} style={{ color: colour }}>
                {" "}
                {title} {withUnit(signed(values[nearestTo(hertz, hz)], decimals), unit)}
              </span>
            ))}
          </span>
        )}
      >
        {(plot) => (
          <>
            <line x2={plot.width} y1={plot.y(0)} y2={plot.y(0)} stroke="var(--soft-ink)" />
            {curves.map(({ title, values, colour, width, dash }) => (
              <path
                key={title}
                d={draw(plot, values)}
                fill="none"
                stroke={colour}
                strokeWidth={width}
                strokeDasharray={dash}
              />
            ))}
          </>
        )}
      </ChartFrame>
    </ChartPanel>
  );
}

/** All values with a little room, and nought. */
function spanOf(values: readonly number[], least: number): Span {
  const known = values.filter(Number.isFinite);
  const [low, high] = [Math.min(-least, ...known), Math.max(least, ...known)];
  const room = 0.08 * (high - low);
  return [low - room, high + room];
}
