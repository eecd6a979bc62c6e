import { exp, log10, pow } from "../audio/exact-math";
import { eachInOrder, eachSample, inOrder, together } from "../audio/in-order";
import { asRead, type Sound } from "../audio/sound";

const FLOOR_DB = -160;
const FLOOR_POWER = pow(10, FLOOR_DB / 10);

/** One-pole coefficient that reaches 63 % of a step in `milliseconds` (Giannoulis, Massberg and Reiss 2012, eq. 8). */
export const onePole = (milliseconds: number, sampleRateHz: number): number =>
  milliseconds <= 0 ? 0 : exp(-1000 / (milliseconds * sampleRateHz));

/**
 * Static curve of a downward compressor with a quadratic knee: output level for an input level, both dB.
 * Giannoulis, Massberg and Reiss, Digital Dynamic Range Compressor Design, JAES 60/6 (2012), eq. 4.
 */
export function compressedLevelDb(levelDb: number, thresholdDb: number, ratio: number, kneeDb: number): number {
  const over = levelDb - thresholdDb;
  if (2 * over < -kneeDb) return levelDb;
  const slope = 1 / ratio - 1;
  if (kneeDb > 0 && 2 * over <= kneeDb) return levelDb + (slope * (over + kneeDb / 2) ** 2) / (2 * kneeDb);
  return levelDb + slope * over;
}

/** One value a frame in place of samples, such as a level or a gain in dB: a sound of one channel. */
export type Control = Sound;

/**
 * Level in dB of each frame, the loudest channel leading (so that a stereo image stays where it is): the sample's
 * magnitude, or its power smoothed over `rmsMilliseconds` where that is above 0. A full-scale sine's power reads −3.01 dB.
 */
export function levelsDb(sound: Sound, rmsMilliseconds: number): Control {
  const keep = onePole(rmsMilliseconds, sound.sampleRateHz);
  return inOrder({ ...sound, channelCount: 1 }, () => {
    const powers = new Float64Array(sound.channelCount);
    return (from, count) => {
      const levels = new Float32Array(count).fill(FLOOR_DB);
      for (const [c, channel] of sound.read(from, count).entries()) {
        let power = powers[c];
        for (let i = 0; i < count; i++) {
          const square = channel[i] * channel[i];
          power = square + keep * (power - square);
          if (power > FLOOR_POWER) levels[i] = Math.max(levels[i], 10 * log10(power));
        }
        powers[c] = power;
      }
      return [levels];
    };
  });
}

/** What a static curve makes of each level, in dB: 0 or less for a downward one. */
export const reductionsDb = (levels: Control, thresholdDb: number, ratio: number, kneeDb: number): Control =>
  eachSample(levels, (level) => compressedLevelDb(level, thresholdDb, ratio, kneeDb) - level);

/**
 * Smooths a gain reduction (dB, 0 or less): one time constant on the way down, another on the way back.
 * The smooth branching detector of the same paper, eq. 17, on the gain in dB.
 */
export function smoothReduction(gainsDb: Control, attackMs: number, releaseMs: number): Control {
  const attack = onePole(attackMs, gainsDb.sampleRateHz);
  const release = onePole(releaseMs, gainsDb.sampleRateHz);
  return eachInOrder(gainsDb, () => {
    let kept = 0;
    return (gains) => {
      let state = kept;
      for (let i = 0; i < gains.length; i++) {
        const wanted = gains[i];
        state = wanted + (wanted < state ? attack : release) * (state - wanted);
        gains[i] = state;
      }
      kept = state;
      return gains;
    };
  });
}

const DB_TO_NEPER = Math.LN10 / 20;

/** Every channel times a linear gain, frame by frame. */
export const timesControl = (sound: Sound, gains: Control): Sound =>
  together([sound, gains], (output, channel, gain) => {
    for (let i = 0; i < output.length; i++) output[i] = channel[i] * gain[i];
  });

/** Every channel times the same gain in dB, frame by frame, plus `makeupDb`. */
export const applyGains = (sound: Sound, gainsDb: Control, makeupDb = 0): Sound =>
  timesControl(
    sound,
    eachSample(gainsDb, (db) => exp((db + makeupDb) * DB_TO_NEPER)),
  );

/** The values `frames` earlier, the last one held: what a look-ahead of that length sees. */
export function ahead(values: Control, frames: number): Control {
  if (frames <= 0 || values.frames === 0) return values;
  return asRead(values, (from, count) => {
    const [seen] = values.read(from + frames, count);
    const known = Math.max(0, values.frames - from - frames);
    if (known >= count) return [seen];
    const held = seen.slice();
    held.fill(values.read(values.frames - 1, 1)[0][0], known);
    return [held];
  });
}
