import type { Plot, Span } from "./chart-frame";

/** A level in each of `count` columns evenly spaced in log frequency over a view: the highest bin in it, or the line between two where it has none. */
export function spectrumColumns(
  decibels: ArrayLike<number>,
  sampleRateHz: number,
  [low, high]: Span,
  count: number,
): { x: number; level: number }[] {
  const binHz = sampleRateHz / 2 / decibels.length;
  const columns: { x: number; level: number }[] = [];
  for (let c = 0; c < count; c++) {
    const x = low + ((c + 0.5) * (high - low)) / count;
    const from = 10 ** (low + (c * (high - low)) / count) / binHz;
    const to = 10 ** (low + ((c + 1) * (high - low)) / count) / binHz;
    if (from >= decibels.length - 1) break;
    let level = Number.NEGATIVE_INFINITY;
    for (let bin = Math.ceil(from); bin < to && bin < decibels.length; bin++) level = Math.max(level, decibels[bin]);
    if (level === Number.NEGATIVE_INFINITY) {
      const between = 10 ** x / binHz;
      const below = Math.floor(between);
      level = decibels[below] + (decibels[below + 1] - decibels[below]) * (between - below);
    }
    columns.push({ x, level });
  }
  return columns;
}

/** Columns as a path; what lies under `floor`, or is no number, lies on it. */
export function spectrumPath(columns: readonly { x: number; level: number }[], { x, y }: Plot, floor: number): string {
  return columns
    .map(({ x: at, level }, i) => {
      const height = Number.isFinite(level) ? Math.max(floor, level) : floor;
      return `${i === 0 ? "M" : "L"}${x(at).toFixed(1)},${y(height).toFixed(1)}`;
    })
    .join("");
}
