import { dbFromPower } from "../audio/decibels";
import { PEAK_FACTOR, sumOfChannels } from "./averaged";
import { bandSums } from "./bands";

/** Bands of so few to the octave are judged by all that they hold; narrower ones read what a sine in them would. */
const WHOLE_BANDS = 3;

/** Powers of bands, the mean of channels. */
export function bandPowers(
  channels: readonly Float64Array[],
  binHz: number,
  hertz: readonly number[],
  perOctave: number,
): Float64Array {
  return bandSums(sumOfChannels(channels), binHz, hertz, perOctave).map((v) => v / channels.length);
}

/**
 * Levels of bands from averaged powers, the mean of channels, in dBFS: third octaves and wider hold their whole power, a full-scale sine reads 0 dBFS in
 * them; narrower ones read as a sine would, averaged over the band. −Infinity where there is nothing.
 */
export function bandLevels(
  channels: readonly Float64Array[],
  binHz: number,
  hertz: readonly number[],
  perOctave: number,
): Float64Array {
  const sums = bandPowers(channels, binHz, hertz, perOctave);
  if (perOctave <= WHOLE_BANDS) return sums.map((power) => dbFromPower(2 * power));
  const widths = bandSums(new Float64Array(channels[0].length).fill(1), binHz, hertz, perOctave);
  return sums.map((power, i) => dbFromPower((power / widths[i]) * PEAK_FACTOR));
}
