"use client";

import { number, signed, withUnit } from "@/core/words/units";
import type { Render } from "@/store/records";
import { AXIS_HEIGHT, ChartFrame, type Plot, type Span } from "@/ui/charts/chart-frame";
import { heightInSight, traceDots, tracePath } from "@/ui/charts/trace-path";
import type { Pair } from "@/ui/shell/workbench";
import { useRowHeight } from "./row-height";
import { type Around, REACH } from "./use-alignment-view";

const PADDING = 3;

type Props = {
  rows: Render[];
  pair: Pair;
  around: (render: Render) => Around | undefined;
  side: "before" | "after";
  channel: "left" | "right";
  view: Span;
  whole: Span;
  onView: (view: Span | null) => void;
  chosenId: string | null;
};

const STYLES = {
  here: { stroke: "var(--here)", strokeDasharray: undefined },
  yonder: { stroke: "var(--yonder)", strokeDasharray: "5 2" },
  other: { stroke: "var(--color-base-content)", strokeDasharray: undefined },
} as const;

/** One trace a row on one axis in samples from the transient, the dry render faint behind each. */
export function TransientStack({ rows, pair, around, side, channel, view, whole, onView, chosenId }: Props) {
  const rowHeight = useRowHeight();
  const samplesOf = (render: Render): Float32Array | undefined => {
    const channels = around(render)?.[side];
    return channels?.[channel === "right" ? channels.length - 1 : 0];
  };
  const dry = samplesOf(pair.dry);
  const milliseconds = (samples: number) => withUnit(signed((1000 * samples) / pair.dry.sampleRateHz, 3), "ms");
  return (
    <div
      className="border-rule [&:nth-child(3)]:border-l"
      style={{ height: rows.length * rowHeight + AXIS_HEIGHT }}
      data-testid={`stack-${side}`}
    >
      <ChartFrame
        label={`Renders around the transient, ${side === "before" ? "as delivered" : "aligned"}`}
        whole={whole}
        view={view}
        onView={onView}
        axis="top"
        formatX={(x) => signed(x, 0)}
        readout={(x) => (
          <span className="figure">
            {signed(Math.round(x), 0)} smp, {milliseconds(Math.round(x))}
          </span>
        )}
      >
        {(plot) => (
          <>
            {rows.map(
              (render, i) =>
                render.id === chosenId && (
                  <rect
                    key={render.id}
                    y={i * rowHeight}
                    width={plot.width}
                    height={rowHeight}
                    className="fill-base-content/8"
                  />
                ),
            )}
            <line
              x1={plot.x(0)}
              x2={plot.x(0)}
              y2={plot.height}
              stroke="var(--soft-ink)"
              strokeDasharray="2 3"
              strokeWidth={1}
            />
            {rows.map((render, i) => (
              <Row
                key={render.id}
                plot={plot}
                middle={(i + 0.5) * rowHeight}
                height={rowHeight}
                samples={samplesOf(render)}
                behind={render.id === pair.dry.id ? undefined : dry}
                style={STYLES[render.id === pair.here.id ? "here" : render.id === pair.yonder.id ? "yonder" : "other"]}
              />
            ))}
          </>
        )}
      </ChartFrame>
    </div>
  );
}

type RowProps = {
  plot: Plot;
  middle: number;
  height: number;
  samples: Float32Array | undefined;
  behind: Float32Array | undefined;
  style: { stroke: string; strokeDasharray: string | undefined };
};

function Row({ plot, middle, height, samples, behind, style }: RowProps) {
  const traceOf = (data: Float32Array) => ({
    samples: data,
    first: -REACH,
    x: plot.x,
    middle,
    half: height / 2 - PADDING,
    full: heightInSight(data, -REACH, plot.x.domain() as [number, number]),
  });
  const own = samples && traceOf(samples);
  return (
    <g>
      <line x2={plot.width} y1={middle} y2={middle} stroke="var(--faint-rule)" />
      {behind && <path d={tracePath(traceOf(behind))} fill="none" stroke="var(--soft-ink)" opacity={0.45} />}
      {own && <path d={tracePath(own)} fill="none" strokeWidth={1.4} {...style} />}
      {own && traceDots(own).map(([x, y]) => <circle key={number(x, 2)} cx={x} cy={y} r={2} fill={style.stroke} />)}
      <line x2={plot.width} y1={middle + height / 2} y2={middle + height / 2} stroke="var(--faint-rule)" />
    </g>
  );
}
