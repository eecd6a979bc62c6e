"use client";

import { type ScaleContinuousNumeric, scaleLinear, scaleLog } from "d3-scale";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useEffect, useRef, useState } from "react";
import { marksApart } from "./marks-apart";

export type Span = readonly [number, number];

/** What a chart draws into: scales from data to pixels of the plot. */
export type Plot = {
  x: ScaleContinuousNumeric<number, number>;
  y: ScaleContinuousNumeric<number, number>;
  width: number;
  height: number;
};

type Props = {
  label: string;
  /** All there is to see; the view is a part of it. */
  whole: Span;
  view: Span;
  /** A part chosen by dragging, the wheel or keys, or null for all of it again (double click). */
  onView: (view: Span | null) => void;
  /** Bottom and top of the vertical axis; left out where rows stand on each other instead. */
  levels?: Span;
  /** Quantity and unit of each axis, drawn with it: "Frequency, Hz". */
  /** Quantity and unit of the axis; left out where a head above the chart says it. */
  titleX?: string;
  titleY?: string;
  formatX: (x: number) => string;
  /** With as many decimals as tell neighbouring ticks apart. */
  formatY?: (y: number, decimals: number) => string;
  /** Frequencies stand by their logarithm where that is asked for. */
  isLog?: boolean;
  /** Where the horizontal axis is reported; round figures where left out. */
  ticksX?: readonly number[];
  /** The same for the vertical axis. */
  isLogY?: boolean;
  ticksY?: readonly number[];
  /** Side of the horizontal axis. */
  axis?: "top" | "bottom";
  /** What the cursor reads at x (and at y), beside it. */
  readout?: (x: number, y: number) => ReactNode;
  children: (plot: Plot) => ReactNode;
};

/** What is looked at of all there is: a view that has nothing of it any more, since another loop was chosen, gives way to all of it. */
export function viewWithin(view: Span | null, [from, to]: Span): Span {
  if (!view || view[1] <= from || view[0] >= to) return [from, to];
  return [Math.max(from, view[0]), Math.min(to, view[1])];
}

/** Height of the horizontal axis. */
export const AXIS_HEIGHT = 20;
/** Room above the plot for half a label. */
const HEAD_ROOM = 8;
const AXIS_WIDTH = 40;
const DRAG_PIXELS = 4;
const PIXELS_A_TICK = 90;
const LINES_A_TICK = 34;

/** One step of the wheel or of a key leaves this part in sight, and moves by that. */
const ZOOM_STEP = 0.8;
const PAN_STEP = 0.15;
/** No less than this part of all there is can be looked at. */
const CLOSEST = 1e-4;

/**
 * The frame of every chart: axes, a cursor that reads, zoom and pan by dragging, wheel (with Shift sideways) and keys (arrows, + and −, 0), all
 * of it again by double click. It fills its parent. What is drawn inside is the chart's own.
 */
export function ChartFrame(props: Props) {
  const { label, view, whole, onView, levels, titleX, titleY, formatX, formatY, isLog = false } = props;
  const { ticksX, axis = "bottom", isLogY = false, ticksY, readout, children } = props;
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const [drag, setDrag] = useState<Span | null>(null);
  const [cursor, setCursor] = useState<number | null>(null);
  const [cursorY, setCursorY] = useState(0);
  const left = levels ? AXIS_WIDTH : 0;
  const width = Math.max(0, size.width - left);
  const top = axis === "top" ? AXIS_HEIGHT : HEAD_ROOM;
  const height = Math.max(0, size.height - top - (axis === "top" ? 0 : AXIS_HEIGHT));
  const x = (isLog ? scaleLog : scaleLinear)(view, [0, width]) as Plot["x"];
  const y = (isLogY ? scaleLog : scaleLinear)(levels ?? [0, 1], [height, 0]) as Plot["y"];

  const isInSight = (tick: number) => levels !== undefined && tick >= levels[0] && tick <= levels[1];
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

  /** Looks at so much of what is in sight about a pixel, moved by a part of it; never past the ends. */
  const look = (about: number, part: number, move: number) => {
    const all = (isLog ? scaleLog : scaleLinear)(whole, [0, 1]) as Plot["x"];
    const [from, to] = [all(view[0]), all(view[1])];
    const length = Math.min(1, Math.max(CLOSEST, (to - from) * part));
    const fixed = from + (about / Math.max(1, width)) * (to - from);
    const start = fixed - (about / Math.max(1, width)) * length + move * length;
    const first = Math.min(1 - length, Math.max(0, start));
    onView(length === 1 ? null : [all.invert(first), all.invert(first + length)]);
  };
  const wheel = useRef(look);
  wheel.current = look;
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const turn = (event: WheelEvent) => {
      event.preventDefault();
      const about = event.clientX - element.getBoundingClientRect().left - left;
      const sideways = event.shiftKey ? event.deltaY : event.deltaX;
      if (Math.abs(sideways) > 0 && (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)))
        wheel.current(about, 1, Math.sign(sideways) * PAN_STEP);
      else if (event.deltaY !== 0) wheel.current(about, event.deltaY < 0 ? ZOOM_STEP : 1 / ZOOM_STEP, 0);
    };
    // Not through React, whose wheel listeners may not keep the page from scrolling.
    element.addEventListener("wheel", turn, { passive: false });
    return () => element.removeEventListener("wheel", turn);
  }, [left]);

  const press = (event: KeyboardEvent) => {
    const middle = cursor === null ? width / 2 : x(cursor);
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const act = new Map([
      ["ArrowLeft", () => look(0, 1, -PAN_STEP)],
      ["ArrowRight", () => look(0, 1, PAN_STEP)],
      ["+", () => look(middle, ZOOM_STEP, 0)],
      ["-", () => look(middle, 1 / ZOOM_STEP, 0)],
      ["0", () => onView(null)],
    ]).get(event.key);
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };

  const rows = ticksY?.filter(isInSight) ?? y.ticks(Math.max(2, Math.floor(height / LINES_A_TICK)));
  const decimals = ticksY ? 0 : decimalsOf(rows[1] - rows[0]);
  return (
    // biome-ignore lint/a11y/useSemanticElements: a field set is for forms
    <div
      ref={box}
      role="group"
      aria-label={`${label}: arrows move, + and − zoom, 0 shows all`}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: keys zoom and pan what has the focus
      tabIndex={0}
      data-own-keys
      onKeyDown={press}
      className="relative h-full min-h-0 w-full touch-none select-none rounded-lg"
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag([xAt(event), xAt(event)]);
      }}
      onPointerMove={(event) => {
        setCursor(xAt(event));
        setCursorY(y.invert(event.clientY - event.currentTarget.getBoundingClientRect().top - top));
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
            rows.map((tick) => (
              <g key={tick} transform={`translate(0,${y(tick)})`}>
                <line x2={width} stroke="var(--faint-rule)" />
                <text x={-6} dy="0.32em" textAnchor="end" className="figure fill-soft text-[11px]">
                  {formatY?.(tick, decimals)}
                </text>
              </g>
            ))}
          {marksApart(
            (
              ticksX?.filter((tick) => tick >= view[0] && tick <= view[1]) ??
              x.ticks(Math.max(2, Math.floor(width / PIXELS_A_TICK)))
            ).map((tick) => ({ at: x(tick), text: formatX(tick) })),
            width,
          ).map(({ at, text, anchor, hasRoom }) => (
            <g key={at} transform={`translate(${at},0)`}>
              <line y2={height} stroke="var(--faint-rule)" />
              {hasRoom && (
                <text
                  y={axis === "top" ? -7 : height + 14}
                  textAnchor={anchor}
                  className="figure fill-soft text-[11px]"
                >
                  {text}
                </text>
              )}
            </g>
          ))}
          <svg width={width} height={height} aria-hidden="true">
            {width > 0 && children({ x, y, width, height })}
          </svg>
          {titleY && (
            <AxisTitle x={4} y={11} anchor="start">
              {titleY}
            </AxisTitle>
          )}
          {titleX && (
            <AxisTitle x={width - 4} y={axis === "top" ? 11 : height - 5} anchor="end">
              {titleX}
            </AxisTitle>
          )}
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
          {readout(cursor, cursorY)}
        </div>
      )}
    </div>
  );
}

/** What an axis measures, on a halo of paper so that lines behind it do not cross it out. */
function AxisTitle(props: { x: number; y: number; anchor: "start" | "end"; children: string }) {
  return (
    <text
      x={props.x}
      y={props.y}
      textAnchor={props.anchor}
      className="fill-soft stroke-base-100 text-[11px]"
      strokeWidth={3}
      strokeLinejoin="round"
      paintOrder="stroke"
    >
      {props.children}
    </text>
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

/** Decimals that a step of an axis takes: 0.5 one, 0.05 two, 20 none. */
export const decimalsOf = (step: number): number => (step > 0 ? Math.max(0, -Math.floor(Math.log10(step) + 1e-9)) : 0);
