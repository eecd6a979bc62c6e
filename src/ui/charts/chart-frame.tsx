"use client";

import { type ScaleLinear, scaleLinear } from "d3-scale";
import { type PointerEvent, type ReactNode, useEffect, useRef, useState } from "react";

export type Span = readonly [number, number];

/** What a chart draws into: scales from data to pixels of the plot. */
export type Plot = {
  x: ScaleLinear<number, number>;
  y: ScaleLinear<number, number>;
  width: number;
  height: number;
};

type Props = {
  label: string;
  /** All there is to see; the view is a part of it. */
  whole: Span;
  view: Span;
  /** A part chosen by dragging, or null for all of it again (double click). */
  onView: (view: Span | null) => void;
  /** Bottom and top of the vertical axis; left out where rows stand on each other instead. */
  levels?: Span;
  formatX: (x: number) => string;
  formatY?: (y: number) => string;
  /** Where the horizontal axis is told; round figures where left out. */
  ticksX?: readonly number[];
  /** Side of the horizontal axis. */
  axis?: "top" | "bottom";
  /** What the cursor reads at x, beside it. */
  readout?: (x: number) => ReactNode;
  children: (plot: Plot) => ReactNode;
};

/** Height of the horizontal axis. */
export const AXIS_HEIGHT = 20;
/** Room above the plot for half a label. */
const HEAD_ROOM = 8;
const AXIS_WIDTH = 40;
const DRAG_PIXELS = 4;
const PIXELS_A_TICK = 90;
const LINES_A_TICK = 34;

/**
 * The frame of every chart: axes, a cursor that reads, zoom by dragging, all of it again by double click. It fills its parent.
 * What is drawn inside is the chart's own.
 */
export function ChartFrame(props: Props) {
  const { label, view, whole, onView, levels, formatX, formatY, ticksX, axis = "bottom", readout, children } = props;
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const [drag, setDrag] = useState<Span | null>(null);
  const [cursor, setCursor] = useState<number | null>(null);
  const left = levels ? AXIS_WIDTH : 0;
  const width = Math.max(0, size.width - left);
  const top = axis === "top" ? AXIS_HEIGHT : HEAD_ROOM;
  const height = Math.max(0, size.height - top - (axis === "top" ? 0 : AXIS_HEIGHT));
  const x = scaleLinear(view, [0, width]);
  const y = scaleLinear(levels ?? [0, 1], [height, 0]);

  const xAt = (event: PointerEvent) => {
    const bounds = box.current?.getBoundingClientRect();
    return x.invert(Math.max(0, Math.min(width, event.clientX - (bounds?.left ?? 0) - left)));
  };
  const finish = () => {
    if (drag && Math.abs(x(drag[1]) - x(drag[0])) >= DRAG_PIXELS) {
      onView([Math.max(whole[0], Math.min(...drag)), Math.min(whole[1], Math.max(...drag))]);
    }
    setDrag(null);
  };

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: for the pointer; buttons zoom, and a table holds the figures
    <div
      ref={box}
      className="relative h-full min-h-0 w-full touch-none select-none"
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag([xAt(event), xAt(event)]);
      }}
      onPointerMove={(event) => {
        setCursor(xAt(event));
        if (drag) setDrag([drag[0], xAt(event)]);
      }}
      onPointerUp={finish}
      onPointerCancel={() => setDrag(null)}
      onPointerLeave={() => setCursor(null)}
      onDoubleClick={() => onView(null)}
    >
      <svg width={size.width} height={size.height} className="absolute inset-0" role="img" aria-label={label}>
        <g transform={`translate(${left},${top})`}>
          {levels &&
            y.ticks(Math.max(2, Math.floor(height / LINES_A_TICK))).map((tick) => (
              <g key={tick} transform={`translate(0,${y(tick)})`}>
                <line x2={width} stroke="var(--faint-rule)" />
                <text x={-6} dy="0.32em" textAnchor="end" className="figure fill-soft text-[11px]">
                  {formatY?.(tick)}
                </text>
              </g>
            ))}
          {(
            ticksX?.filter((tick) => tick >= view[0] && tick <= view[1]) ??
            x.ticks(Math.max(2, Math.floor(width / PIXELS_A_TICK)))
          ).map((tick) => (
            <g key={tick} transform={`translate(${x(tick)},0)`}>
              <line y2={height} stroke="var(--faint-rule)" />
              <text
                y={axis === "top" ? -7 : height + 14}
                textAnchor={x(tick) < 24 ? "start" : x(tick) > width - 24 ? "end" : "middle"}
                className="figure fill-soft text-[11px]"
              >
                {formatX(tick)}
              </text>
            </g>
          ))}
          <svg width={width} height={height} aria-hidden="true">
            {width > 0 && children({ x, y, width, height })}
          </svg>
          {drag && (
            <rect
              x={Math.min(x(drag[0]), x(drag[1]))}
              width={Math.abs(x(drag[1]) - x(drag[0]))}
              height={height}
              className="fill-base-content/10"
            />
          )}
          {cursor !== null && (
            <line x1={x(cursor)} x2={x(cursor)} y2={height} className="stroke-base-content/50" strokeWidth={1} />
          )}
        </g>
      </svg>
      {cursor !== null && readout && (
        <div
          className="pointer-events-none absolute z-10 whitespace-nowrap rounded border border-rule bg-base-100 px-1.5 py-0.5 text-[11px]"
          style={{
            top: top + 4,
            ...(x(cursor) > width / 2 ? { right: width - x(cursor) + 6 } : { left: left + x(cursor) + 6 }),
          }}
        >
          {readout(cursor)}
        </div>
      )}
    </div>
  );
}

function useSize(box: React.RefObject<HTMLDivElement | null>) {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!box.current) return;
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry.contentRect;
      setSize({ width, height });
    });
    observer.observe(box.current);
    return () => observer.disconnect();
  }, [box]);
  return size;
}
