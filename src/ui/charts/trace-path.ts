import type { ScaleContinuousNumeric } from "d3-scale";
import { line } from "d3-shape";

/** Samples further apart than this in pixels are marked one by one. */
export const DOT_PIXELS = 6;

type Trace = {
  samples: Float32Array;
  /** Position of the first sample on the horizontal axis; the next ones follow one by one. */
  first: number;
  x: ScaleContinuousNumeric<number, number>;
  /** Middle of the row and half its height, in pixels. */
  middle: number;
  half: number;
  /** Magnitude that fills the half height. */
  full: number;
};

/** The part of a trace that is in sight, a sample to each side for the line to run out of the picture. */
function inSight({ samples, first, x }: Trace): { from: number; to: number } {
  const [left, right] = x.domain();
  return {
    from: Math.max(0, Math.floor(left - first) - 1),
    to: Math.min(samples.length - 1, Math.ceil(right - first) + 1),
  };
}

/** A line through the samples, or through the extremes of every pixel where there are more samples than pixels. */
export function tracePath(trace: Trace): string {
  const { samples, first, x, middle, half, full } = trace;
  const { from, to } = inSight(trace);
  const yOf = (value: number) => middle - half * Math.max(-1, Math.min(1, value / full));
  const points: [number, number][] = [];
  const perPixel = (to - from) / Math.max(1, x.range()[1]);
  if (perPixel <= 2) {
    for (let i = from; i <= to; i++) points.push([x(first + i), yOf(samples[i])]);
  } else {
    const width = Math.ceil(x.range()[1]);
    for (let pixel = 0; pixel < width; pixel++) {
      const start = Math.max(0, Math.floor(x.invert(pixel) - first));
      const end = Math.min(samples.length, Math.max(start + 1, Math.floor(x.invert(pixel + 1) - first)));
      if (start >= end) continue;
      let [low, high] = [samples[start], samples[start]];
      for (let i = start; i < end; i++) {
        low = Math.min(low, samples[i]);
        high = Math.max(high, samples[i]);
      }
      points.push([pixel, yOf(high)], [pixel, yOf(low)]);
    }
  }
  return line()(points) ?? "";
}

/** Places of the single samples, where they are far enough apart to be reported. */
export function traceDots(trace: Trace): [number, number][] {
  const { samples, first, x, middle, half, full } = trace;
  if (x(1) - x(0) < DOT_PIXELS) return [];
  const { from, to } = inSight(trace);
  return Array.from({ length: to - from + 1 }, (_, n) => [
    x(first + from + n),
    middle - half * Math.max(-1, Math.min(1, samples[from + n] / full)),
  ]);
}

/** Largest magnitude of the samples in sight; never 0. */
export function heightInSight(samples: Float32Array, first: number, view: readonly [number, number]): number {
  const from = Math.max(0, Math.floor(view[0] - first));
  const to = Math.min(samples.length, Math.ceil(view[1] - first) + 1);
  let most = 0;
  for (let i = from; i < to; i++) most = Math.max(most, Math.abs(samples[i]));
  return most || 1;
}
