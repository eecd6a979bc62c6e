import { pow } from "../audio/exact-math";

/** The part of what a filter does that is told as where it lies. */
const SHARE = 0.8;
/** Under this a filter does nothing, dB. */
const LEAST_DB = 0.05;

/**
 * Where what a filter does to a sound lies: the narrowest run of bands that holds four fifths of the energy it adds or takes, at band centres with
 * `perOctave` to the octave. Null where it does next to nothing.
 */
export function toneRange(
  hertz: readonly number[] | Float64Array,
  differenceDb: Float64Array,
  powers: Float64Array,
  perOctave: number,
): [number, number] | null {
  const changes = Array.from(differenceDb, (db, i) =>
    Number.isNaN(db) || Math.abs(db) < LEAST_DB ? 0 : powers[i] * (pow(10, db / 20) - 1) ** 2,
  );
  const all = changes.reduce((sum, e) => sum + e, 0);
  if (!(all > 0)) return null;
  let best: [number, number] | null = null;
  let [from, sum] = [0, 0];
  for (const [to, change] of changes.entries()) {
    sum += change;
    while (sum - changes[from] >= SHARE * all) sum -= changes[from++];
    if (sum >= SHARE * all && (!best || to - from < best[1] - best[0])) best = [from, to];
  }
  const half = pow(2, 0.5 / perOctave);
  return best && [hertz[best[0]] / half, hertz[best[1]] * half];
}
