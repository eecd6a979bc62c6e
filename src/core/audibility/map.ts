import { cos, sin } from "../audio/exact-math";

/** Rounds of the placing: it has settled long before. */
const ROUNDS = 2000;

/** What lies no further apart than this, dB, lies on one place. */
const LEAST_APART = 1e-6;

/** Where each of several things stands on a plane, so that those that are alike stand near each other, and how well that can be done. */
export type PlaneMap = {
  places: [x: number, y: number][];
  /** What of the distances the plane cannot show, 0 to 1: Kruskal's stress (1964). */
  stress: number;
};

/**
 * Places on a plane whose distances come near those given: stress majorisation (de Leeuw 1977, SMACOF), begun from a circle in the order given, so
 * that it comes out the same every time. The longest way lies across; `distances` is symmetric.
 */
export function mapOf(distances: readonly (readonly number[])[]): PlaneMap {
  const count = distances.length;
  const longest = Math.max(0, ...distances.flat());
  if (longest < LEAST_APART) return { places: distances.map(() => [0, 0]), stress: 0 };
  let places = Array.from({ length: count }, (_, i): [number, number] => {
    const angle = (2 * Math.PI * i) / count;
    return [(longest / 2) * cos(angle), (longest / 2) * sin(angle)];
  });
  const between = (p: readonly [number, number][], i: number, j: number) => {
    const [dx, dy] = [p[i][0] - p[j][0], p[i][1] - p[j][1]];
    return Math.sqrt(dx * dx + dy * dy);
  };
  for (let round = 0; round < ROUNDS; round++) {
    places = places.map((_, i): [number, number] => {
      let [x, y] = [0, 0];
      for (let j = 0; j < count; j++) {
        if (j === i) continue;
        const now = between(places, i, j);
        const ratio = now > 1e-12 ? distances[i][j] / now : 0;
        x += places[j][0] + ratio * (places[i][0] - places[j][0]);
        y += places[j][1] + ratio * (places[i][1] - places[j][1]);
      }
      return count > 1 ? [x / (count - 1), y / (count - 1)] : [0, 0];
    });
  }
  let [off, all] = [0, 0];
  for (let i = 0; i < count; i++)
    for (let j = i + 1; j < count; j++) {
      off += (between(places, i, j) - distances[i][j]) ** 2;
      all += distances[i][j] ** 2;
    }
  return { places: laidAcross(places), stress: all > 0 ? Math.sqrt(off / all) : 0 };
}

/** About their middle, the direction in which they lie furthest apart across. */
function laidAcross(places: readonly [number, number][]): [number, number][] {
  const count = Math.max(1, places.length);
  const [mx, my] = [0, 1].map((axis) => places.reduce((sum, p) => sum + p[axis], 0) / count);
  let [xx, xy, yy] = [0, 0, 0];
  for (const [x, y] of places) {
    xx += (x - mx) ** 2;
    xy += (x - mx) * (y - my);
    yy += (y - my) ** 2;
  }
  // The direction of the larger eigenvector of [[xx, xy], [xy, yy]].
  const spread = Math.sqrt(((xx - yy) / 2) ** 2 + xy ** 2);
  let [c, s] = xy === 0 && xx >= yy ? [1, 0] : [xy, (yy - xx) / 2 + spread];
  const length = Math.sqrt(c * c + s * s);
  [c, s] = length > 0 ? [c / length, s / length] : [0, 1];
  return places.map(([x, y]) => [c * (x - mx) + s * (y - my), c * (y - my) - s * (x - mx)]);
}
