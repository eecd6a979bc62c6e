import { log10, pow } from "../../audio/exact-math";
import type { FittedBand } from "../report";

/** Where a shelf is a low one or a high one alike, one above this is high: the middle of what is heard (Hz). */
export const SHELVES_PART_HZ = 640;
/** A second-order polynomial s² + b·s + 1 has real roots from this b on. */
const REAL_FROM = 2;

type Roots = { zeros: number[]; poles: number[] };

/** The roots of s² + b·s + 1, as frequencies. */
const rootsOf = (b: number): number[] => {
  const lower = (b - Math.sqrt(b * b - 4)) / 2;
  return [lower, 1 / lower];
};

/** Zeros and poles of a band of low Q, Hz; null where they are not real (Bristow-Johnson's cookbook: shelves and bells). */
function realRoots({ kind, hertz, gainDb, q }: FittedBand): Roots | null {
  if (q === null || gainDb === null) return null;
  const amplitude = pow(10, gainDb / 40);
  if (kind === "bell") {
    const [ofZeros, ofPoles] = [amplitude / q, 1 / (amplitude * q)];
    if (Math.min(ofZeros, ofPoles) < REAL_FROM) return null;
    return { zeros: rootsOf(ofZeros).map((r) => r * hertz), poles: rootsOf(ofPoles).map((r) => r * hertz) };
  }
  if (1 / q < REAL_FROM) return null;
  const root = Math.sqrt(amplitude);
  const [up, down] = [hertz * root, hertz / root].map((hz) => rootsOf(1 / q).map((r) => r * hz));
  return kind === "low shelf" ? { zeros: up, poles: down } : { zeros: down, poles: up };
}

/**
 * Shelves and bells of real poles in their other grouping: neighbours in frequency together. A bass and a treble control have one curve with two wide
 * shelves, or a shelf and a wide bell, that lie across each other; reported are the shelves that stand apart. Null where there are fewer than two such bands, or
 * nothing else comes of it. To be fitted again: gain moves, and where zeros lie otherwise than poles Q is a mean.
 */
export function regroupedShelves(bands: readonly FittedBand[]): FittedBand[] | null {
  const roots = bands.map(realRoots);
  const wide = bands.filter((_, i) => roots[i]);
  if (wide.length < 2) return null;
  const all = (of: keyof Roots) => roots.flatMap((r) => r?.[of] ?? []).sort((a, b) => a - b);
  const [zeros, poles] = [all("zeros"), all("poles")];
  const regrouped = wide.map((_, n): FittedBand => {
    const [z1, z2, p1, p2] = [zeros[2 * n], zeros[2 * n + 1], poles[2 * n], poles[2 * n + 1]];
    const hertz = Math.sqrt(Math.sqrt(z1 * z2 * p1 * p2));
    const lowGainDb = 20 * log10((z1 * z2) / (p1 * p2));
    const apart = Math.sqrt(Math.sqrt((z1 * p1) / (z2 * p2)));
    const isHigh = hertz > SHELVES_PART_HZ;
    return {
      kind: isHigh ? "high shelf" : "low shelf",
      hertz,
      gainDb: isHigh ? -lowGainDb : lowGainDb,
      q: 1 / (apart + 1 / apart),
      slopeDbPerOctave: null,
    };
  });
  const widest = (list: readonly FittedBand[]) => Math.min(...list.map(({ q }) => q ?? 1));
  return widest(regrouped) > widest(wide) ? [...bands.filter((_, i) => !roots[i]), ...regrouped] : null;
}
