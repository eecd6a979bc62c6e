import { bilinear, cutSections } from "./analogue";
import { type Biquad, throughBiquads } from "./biquad";
import type { Sound } from "./sound";

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
 * Splits a sound at one or two rising corners; the bands sum to the sound through an all-pass. The lowest band passes the
 * upper crossover's all-pass too, so that all bands turn alike.
 */
export function splitBands(sound: Sound, cornersHz: readonly number[]): Sound[] {
  const { sampleRateHz } = sound;
  const bands: Sound[] = [];
  let rest = sound;
  cornersHz.forEach((corner, i) => {
    const low = throughBiquads(rest, linkwitzRiley("high cut", corner, sampleRateHz));
    rest = throughBiquads(rest, linkwitzRiley("low cut", corner, sampleRateHz));
    const above = cornersHz.slice(i + 1);
    bands.push(
      throughBiquads(
        low,
        above.map((c) => sumOf(c, sampleRateHz)),
      ),
    );
  });
  return [...bands, rest];
}
