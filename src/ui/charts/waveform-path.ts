import { scaleLinear } from "d3-scale";
import { area, curveStepAfter } from "d3-shape";
import type { Overview } from "@/core/audio/overview";

/** Peak magnitude of each column. */
export function magnitudes({ lows, highs }: Overview): Float32Array {
  return highs.map((high, i) => Math.max(high, -lows[i]));
}

/** Fewer columns, each the largest of those it stands for. */
export function thinned(values: Float32Array, columns: number): Float32Array {
  if (values.length <= columns) return values;
  return Float32Array.from({ length: columns }, (_, column) => {
    const start = Math.floor((column * values.length) / columns);
    const end = Math.floor(((column + 1) * values.length) / columns);
    return values.subarray(start, end).reduce((a, b) => Math.max(a, b), 0);
  });
}

/** Outline of magnitudes as an area that grows from `base` to `tip` (SVG units) at `full` scale. */
export function magnitudePath(values: Float32Array, width: number, base: number, tip: number, full: number): string {
  const x = scaleLinear([0, values.length], [0, width]);
  const y = scaleLinear([0, full], [base, tip]).clamp(true);
  const outline = area<number>()
    .x((_, i) => x(i))
    .y0(base)
    .y1((value) => y(value))
    .curve(curveStepAfter);
  return outline(Array.from(values)) ?? "";
}
