import { dbFromPower } from "../audio/decibels";
import { type Averaged, sumOfChannels } from "./averaged";
import { bandSums } from "./bands";

/** Under this coherence a transfer says nothing for sure: it is faded, not drawn as truth (common practice). */
export const COHERENT = 0.9;

export type Transfer = {
  hertz: Float64Array;
  /** Magnitude in dB; NaN where there is nothing. */
  differenceDb: Float64Array;
  /** 0 to 1, freed from what chance gives with so few segments. */
  coherence: Float64Array;
};

/**
 * A coherence less what chance gives with so few segments, 0 to 1: half overlapped Hann segments count for 0.95 of as many apart (Welch 1967). One
 * segment is coherent with anything, and tells nothing.
 */
export function freedFromChance(coherence: number, segments: number): number {
  const chance = 1 / (0.95 * segments);
  return chance >= 1 ? 0 : Math.max(0, Math.min(1, (coherence - chance) / (1 - chance)));
}

/**
 * How sound `to` follows the first over bands around some centres, channels together: shared power over the first's (Bendat and Piersol), and coherence.
 */
export function bandTransfer(
  { powers, crosses, segments, points, sampleRateHz }: Averaged,
  to: number,
  hertz: readonly number[],
  perOctave: number,
): Transfer {
  const binHz = sampleRateHz / points;
  const band = (bins: Float64Array) => bandSums(bins, binHz, hertz, perOctave);
  const [first, other] = [band(sumOfChannels(powers[0])), band(sumOfChannels(powers[to]))];
  // Coherence bin by bin, weighted by power: a delay or a phase that turns within a band is no noise.
  const shared = new Float64Array(points / 2 + 1);
  for (const [c, cross] of crosses[to - 1].entries()) {
    const a = powers[0][c];
    for (let k = 0; k < shared.length; k++)
      if (a[k] > 0) shared[k] += (cross[2 * k] * cross[2 * k] + cross[2 * k + 1] * cross[2 * k + 1]) / a[k];
  }
  const sharedBands = band(shared);
  const gain = (i: number) => (first[i] > 0 ? sharedBands[i] / first[i] : Number.NaN);
  return {
    hertz: Float64Array.from(hertz),
    differenceDb: Float64Array.from(hertz, (_, i) =>
      first[i] > 0 && sharedBands[i] > 0 ? dbFromPower(gain(i)) : Number.NaN,
    ),
    coherence: Float64Array.from(hertz, (_, i) =>
      other[i] > 0 ? freedFromChance(sharedBands[i] / other[i], segments) : 0,
    ),
  };
}
