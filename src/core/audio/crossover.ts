import { bilinear, cutSections } from "./analogue";
import { type Biquad, filterCascade } from "./biquad";

/** Fourth-order Linkwitz-Riley: a second-order Butterworth twice (Linkwitz, JAES 24/1, 1976). */
function linkwitzRiley(kind: "low cut" | "high cut", cornerHz: number, sampleRateHz: number): Biquad[] {
  const [section] = cutSections(kind, cornerHz, 2).map((s) => bilinear(s, sampleRateHz));
  return [section, section];
}

/** What low and high of one crossover sum to: flat in level, all-pass in phase; here from the same poles. */
function sumOf(cornerHz: number, sampleRateHz: number): Biquad {
  const { a1, a2 } = bilinear(cutSections("high cut", cornerHz, 2)[0], sampleRateHz);
  return { b0: a2, b1: a1, b2: 1, a1, a2 };
}

/**
 * Splits a signal at one or two rising corners; the bands sum to the signal through an all-pass. The lowest band passes the
 * upper crossover's all-pass too, so that all bands turn alike.
 */
export function splitBands(signal: Float32Array, cornersHz: readonly number[], sampleRateHz: number): Float32Array[] {
  const bands: Float32Array[] = [];
  let rest = signal;
  cornersHz.forEach((corner, i) => {
    const low = filterCascade(rest, linkwitzRiley("high cut", corner, sampleRateHz));
    rest = filterCascade(rest, linkwitzRiley("low cut", corner, sampleRateHz));
    bands.push(
      filterCascade(
        low,
        cornersHz.slice(i + 1).map((c) => sumOf(c, sampleRateHz)),
      ),
    );
  });
  return [...bands, rest];
}
