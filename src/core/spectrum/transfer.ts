import { dbFromPower } from "../audio/decibels";
import { atan2 } from "../audio/exact-math";
import type { Averaged } from "./averaged";
import { bandSums } from "./bands";

/** Under this coherence a transfer says nothing for sure: it is faded, not drawn as truth (common practice). */
export const COHERENT = 0.9;

export type Transfer = {
  hertz: Float64Array;
  /** Magnitude in dB; NaN where there is nothing. */
  differenceDb: Float64Array;
  /** Degrees, of the band's average; NaN where there is nothing. */
  degrees: Float64Array;
  /** 0 to 1, freed from what chance gives with so few segments. */
  coherence: Float64Array;
};

/**
 * How sound `to` follows the first over bands around some centres, channels together: Syx / Sxx (Bendat and Piersol), and coherence. Half
 * overlapped Hann segments count for 0.95 of as many apart (Welch 1967), which chance is taken off by.
 */
export function bandTransfer(
  { powers, crosses, segments, points, sampleRateHz }: Averaged,
  to: number,
  hertz: readonly number[],
  perOctave: number,
): Transfer {
  const binHz = sampleRateHz / points;
  const sum = (arrays: readonly Float64Array[]) => {
    const total = arrays[0].slice();
    for (const other of arrays.slice(1)) for (let k = 0; k < total.length; k++) total[k] += other[k];
    return total;
  };
  const part = (offset: 0 | 1) => sum(crosses[to - 1].map((cross) => cross.filter((_, i) => i % 2 === offset)));
  const band = (bins: Float64Array) => bandSums(bins, binHz, hertz, perOctave);
  const [first, other] = [band(sum(powers[0])), band(sum(powers[to]))];
  const [re, im] = [band(part(0)), band(part(1))];
  // Coherence bin by bin, weighted by power: a delay or a phase that turns within a band is no noise.
  const shared = new Float64Array(points / 2 + 1);
  for (const [c, cross] of crosses[to - 1].entries()) {
    const a = powers[0][c];
    for (let k = 0; k < shared.length; k++)
      if (a[k] > 0) shared[k] += (cross[2 * k] * cross[2 * k] + cross[2 * k + 1] * cross[2 * k + 1]) / a[k];
  }
  const sharedBands = band(shared);
  const chance = 1 / Math.max(1, 0.95 * segments);
  const gain = (i: number) => (first[i] > 0 ? sharedBands[i] / first[i] : Number.NaN);
  return {
    hertz: Float64Array.from(hertz),
    differenceDb: Float64Array.from(hertz, (_, i) =>
      first[i] > 0 && sharedBands[i] > 0 ? dbFromPower(gain(i)) : Number.NaN,
    ),
    degrees: Float64Array.from(hertz, (_, i) =>
      re[i] === 0 && im[i] === 0 ? Number.NaN : (atan2(im[i], re[i]) * 180) / Math.PI,
    ),
    coherence: Float64Array.from(hertz, (_, i) =>
      other[i] > 0 ? Math.max(0, Math.min(1, (sharedBands[i] / other[i] - chance) / (1 - chance))) : 0,
    ),
  };
}
