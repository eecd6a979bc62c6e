/** A reading at a place; NaN where it tells nothing. */
export type Point = { x: number; y: number };

/** Places nearer than this are one. */
const SAME = 0.05;

/** The places of several lines of points together, in rising order, so that they can be drawn over one axis. */
export function oneAxis(lines: readonly (readonly Point[])[]): number[] {
  const all = lines.flatMap((points) => points.map(({ x }) => x)).toSorted((a, b) => a - b);
  return all.filter((x, i) => i === 0 || x - all[i - 1] > SAME);
}

/** A line of points in rising order, read at other places: straight between neighbours, nothing beyond its ends or beside a reading that tells nothing. */
export function readAt(points: readonly Point[], xs: readonly number[]): number[] {
  let next = 0;
  return xs.map((x) => {
    while (next < points.length && points[next].x < x - SAME) next++;
    const after = points[next];
    if (after === undefined) return Number.NaN;
    if (Math.abs(after.x - x) <= SAME) return after.y;
    const before = points[next - 1];
    if (before === undefined) return Number.NaN;
    return before.y + ((x - before.x) / (after.x - before.x)) * (after.y - before.y);
  });
}
