import { type Clip, frameCount } from "../audio/clip";
import { exp, log10, pow } from "../audio/exact-math";

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

/**
 * Level in dB of each frame, the loudest channel leading (so that a stereo image stays where it is): the sample's
 * magnitude, or its power smoothed over `rmsMilliseconds` where that is above 0. A full-scale sine's power reads −3.01 dB.
 */
export function levelsDb(clip: Clip, rmsMilliseconds: number): Float32Array {
  const keep = onePole(rmsMilliseconds, clip.sampleRateHz);
  const levels = new Float32Array(frameCount(clip)).fill(FLOOR_DB);
  for (const channel of clip.channels) {
    let power = 0;
    for (let i = 0; i < levels.length; i++) {
      const square = channel[i] * channel[i];
      power = square + keep * (power - square);
      if (power > FLOOR_POWER) levels[i] = Math.max(levels[i], 10 * log10(power));
    }
  }
  return levels;
}

/**
 * Smooths a gain reduction in place (dB, 0 or less): one time constant on the way down, another on the way back.
 * The smooth branching detector of the same paper, eq. 17, on the gain in dB.
 */
export function smoothReduction(
  gainsDb: Float32Array,
  attackMs: number,
  releaseMs: number,
  sampleRateHz: number,
): Float32Array {
  const attack = onePole(attackMs, sampleRateHz);
  const release = onePole(releaseMs, sampleRateHz);
  let state = 0;
  for (let i = 0; i < gainsDb.length; i++) {
    const wanted = gainsDb[i];
    state = wanted + (wanted < state ? attack : release) * (state - wanted);
    gainsDb[i] = state;
  }
  return gainsDb;
}

const DB_TO_NEPER = Math.LN10 / 20;

/** Every channel times the same gain in dB, frame by frame, plus `makeupDb`. */
export function applyGains(clip: Clip, gainsDb: Float32Array, makeupDb = 0): Clip {
  const gains = gainsDb.map((db) => exp((db + makeupDb) * DB_TO_NEPER));
  return { ...clip, channels: clip.channels.map((channel) => channel.map((v, i) => v * gains[i])) };
}

/** The values `frames` earlier, the last one held: what a look-ahead of that length sees. */
export function ahead(values: Float32Array, frames: number): Float32Array {
  if (frames <= 0 || values.length === 0) return values;
  const output = new Float32Array(values.length);
  output.set(values.subarray(Math.min(frames, values.length)));
  output.fill(values[values.length - 1], Math.max(0, values.length - frames));
  return output;
}
