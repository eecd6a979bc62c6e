import { biquadMagnitudeDb } from "../audio/biquad";
import { amplitudeFromDb, dbFromPower } from "../audio/decibels";
import { kWeighting } from "../loudness/k-weighting";
import { type Averaged, sumOfChannels } from "./averaged";
import { bandLevels } from "./levels";

/** BS.1770's offset: a sine of 997 Hz at full scale in one channel reads −3.01 LUFS. */
const LOUDNESS_OFFSET_DB = -0.691;

/**
 * Loudness of averaged powers: K-weighted power of all channels, in LUFS but for the gates of BS.1770 (quiet blocks count here). −Infinity for silence.
 */
export function spectrumLoudness({ powers, points, sampleRateHz }: Averaged, sound = 0): number {
  const { shelf, highPass } = kWeighting(sampleRateHz);
  const binHz = sampleRateHz / points;
  let sum = 0;
  for (const [k, power] of sumOfChannels(powers[sound]).entries()) {
    if (k === 0 || power === 0) continue;
    const hertz = k * binHz;
    const gainDb = biquadMagnitudeDb(shelf, hertz, sampleRateHz) + biquadMagnitudeDb(highPass, hertz, sampleRateHz);
    sum += power * amplitudeFromDb(gainDb) ** 2;
  }
  return dbFromPower(sum) + LOUDNESS_OFFSET_DB;
}

/**
 * How levels of bands differ from those of a target, another piece of music, in dB: both at one loudness, so that tone is left. NaN where one of both holds
 * nothing, or lies above half of a lower rate.
 */
export function againstTarget(
  own: Averaged,
  sound: number,
  target: Averaged,
  hertz: readonly number[],
  perOctave: number,
): Float64Array {
  // Bands are judged by the mean of channels, loudness by their sum.
  const channels = target.powers[0].length / own.powers[sound].length;
  const gainDb = spectrumLoudness(target) - spectrumLoudness(own, sound) - dbFromPower(channels);
  const [levels, wanted] = [
    bandLevels(own.powers[sound], own.sampleRateHz / own.points, hertz, perOctave),
    bandLevels(target.powers[0], target.sampleRateHz / target.points, hertz, perOctave),
  ];
  const top = Math.min(own.sampleRateHz, target.sampleRateHz) / 2;
  return levels.map((level, i) => {
    const apart = level + gainDb - wanted[i];
    return hertz[i] < top && Number.isFinite(apart) ? apart : Number.NaN;
  });
}
