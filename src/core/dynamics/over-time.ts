import { dbFromPower } from "../audio/decibels";
import { type Cells, powerOf, secondsOf } from "./cells";

/** What lies this far (60 dB) under the loudest moment tells nothing of a gain (common practice, no published source). */
const TELLING = 1e-6;
/** No level of an ordinary file lies under this. */
const SILENT_POWER = 1e-15;

/** Means over `width` cells around each, twice: a triangle as long as two of them, about a Hann window. At the ends over what there is. */
export function smoothed(values: Float32Array, width: number): Float32Array {
  const once = (from: Float32Array) => {
    const output = new Float32Array(from.length);
    const half = Math.floor(width / 2);
    let sum = 0;
    let [first, end] = [0, 0];
    for (let i = 0; i < from.length; i++) {
      for (; end < Math.min(from.length, i + half + 1); end++) sum += from[end];
      for (; first < i - half; first++) sum -= from[first];
      // What rounding leaves of silence after sound is not less than nothing.
      output[i] = Math.max(0, sum / (end - first));
    }
    return output;
  };
  return width <= 1 ? values : once(once(values));
}

/** Cells of the smoothing that lasts about so long in all. */
const widthOf = (cells: Cells, seconds: number): number => Math.max(1, Math.round(seconds / 2 / secondsOf(cells)));

/** Level over time, dBFS of the mean square; NaN in silence. */
export const levelOverTime = (cells: Cells, seconds: number): Float32Array =>
  smoothed(powerOf(cells), widthOf(cells, seconds)).map((v) => (v > SILENT_POWER ? dbFromPower(v) : Number.NaN));

/**
 * What is done to the level over time: the second sound over the first, both smoothed over `seconds`, dB; NaN where the first is silent or
 * 60 dB under its loudest. It holds whatever changes the level: an equalizer as much as a compressor.
 */
export function gainOverTime(first: Cells, second: Cells, seconds: number): Float32Array {
  const width = widthOf(first, seconds);
  const [a, b] = [first, second].map((cells) => smoothed(powerOf(cells), width));
  let most = 0;
  for (const v of a) if (v > most) most = v;
  const least = Math.max(SILENT_POWER, most * TELLING);
  return a.map((v, i) => (v >= least && b[i] > SILENT_POWER ? dbFromPower(b[i] / v) : Number.NaN));
}

/** How wide a sound is over time; NaN where there is nothing to tell it by. */
export type StereoOverTime = Record<"widthDb" | "correlation" | "balanceDb" | "monoLossDb", Float32Array>;

/** Width, correlation, balance and what mono loses, over `seconds` around each cell; null for mono. */
export function stereoOverTime(cells: Cells, seconds: number): StereoOverTime | null {
  if (!cells.right || !cells.product) return null;
  const width = widthOf(cells, seconds);
  const [left, right] = [cells.left, cells.right].map((v) => smoothed(v, width));
  // Products may be negative: means of them are means all the same.
  const sums = cells.left.map((v, i) => (v + (cells.right?.[i] ?? 0)) / 2 + (cells.product?.[i] ?? 0));
  const mid = smoothed(
    sums.map((v) => Math.max(0, v / 2)),
    width,
  );
  const by = (of: (l: number, r: number, m: number) => number) =>
    left.map((l, i) => {
      const r = right[i];
      const value = l + r > SILENT_POWER ? of(l, r, mid[i]) : Number.NaN;
      return Number.isFinite(value) ? value : Number.NaN;
    });
  // m = (l + r) / 2 and s = (l − r) / 2: |m|² + |s|² is half of both powers, and l · r is |m|² − |s|².
  const sideOf = (l: number, r: number, m: number) => Math.max(0, (l + r) / 2 - m);
  const least = 1e-7;
  return {
    widthDb: by((l, r, m) => {
      const s = sideOf(l, r, m);
      return s > least * (l + r) && m > least * (l + r) ? dbFromPower(s / m) : Number.NaN;
    }),
    correlation: by((l, r, m) => Math.max(-1, Math.min(1, (m - sideOf(l, r, m)) / Math.sqrt(l * r)))),
    balanceDb: by((l, r) => dbFromPower(r / l)),
    monoLossDb: by((l, r, m) => (m > least * (l + r) ? dbFromPower((2 * m) / (l + r)) : Number.NaN)),
  };
}

/** One decibel of what goes in: what comes out over all moments at that level, its middle and the tenths at either end. */
export type CurveStep = { inDb: number; medianDb: number; lowDb: number; highDb: number; moments: number };
export type LevelCurve = { inDb: Float32Array; outDb: Float32Array; curve: CurveStep[] };

/** Moments of a step that tell its middle. */
const LEAST_MOMENTS = 5;

/** Level out against level in, moment by moment of `seconds`, and the static curve through them: medians by whole decibels, with their spread. */
export function levelCurve(input: Cells, output: Cells, seconds = 0.02): LevelCurve {
  const [a, b] = [powerOf(input), powerOf(output)];
  const span = Math.max(1, Math.round(seconds / secondsOf(input)));
  const moments = Math.floor(a.length / span);
  const pairs: [number, number][] = [];
  for (let m = 0; m < moments; m++) {
    let [x, y] = [0, 0];
    for (let i = m * span; i < (m + 1) * span; i++) {
      x += a[i] / span;
      y += b[i] / span;
    }
    if (x > SILENT_POWER && y > SILENT_POWER) pairs.push([dbFromPower(x), dbFromPower(y)]);
  }
  const steps = new Map<number, number[]>();
  for (const [x, y] of pairs) {
    const step = Math.round(x);
    // How much it is moved, so that a step's own width does not look like spread.
    const gains = steps.get(step);
    if (gains) gains.push(y - x);
    else steps.set(step, [y - x]);
  }
  const curve = [...steps]
    .filter(([, gains]) => gains.length >= LEAST_MOMENTS)
    .toSorted(([x], [y]) => x - y)
    .map(([inDb, gains]): CurveStep => {
      const sorted = Float64Array.from(gains).sort();
      const at = (share: number) => inDb + sorted[Math.round(share * (sorted.length - 1))];
      return { inDb, medianDb: at(0.5), lowDb: at(0.1), highDb: at(0.9), moments: gains.length };
    });
  return { inDb: Float32Array.from(pairs, ([x]) => x), outDb: Float32Array.from(pairs, ([, y]) => y), curve };
}
