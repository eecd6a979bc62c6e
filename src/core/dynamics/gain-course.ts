import { dbFromPower } from "../audio/decibels";
import { pow } from "../audio/exact-math";
import { type FrameRange, piecesOf, type Sound, stretch } from "../audio/sound";

/** Gain of one sound over another, cell by cell; NaN where the other is too quiet to tell. */
export type GainCourse = { startFrame: number; cellFrames: number; sampleRateHz: number; gainDb: Float64Array };

/** A gain is read over so long: fast enough for an attack, long enough for a few turns of a low tone. */
const CELL_SECONDS = 0.005;
/** Cells this far under the loudest tell nothing (dB). */
const QUIET_DB = 50;
const LEAST_GAIN_DB = -60;

/**
 * Gain over time of `wet` over `dry` aligned: their product over the dry one's energy, over cells of 5 ms smoothed with their neighbours. What is
 * added that the dry sound does not hold (harmonics, noise) does not count.
 */
export function gainCourse(dry: Sound, wet: Sound, region: FrameRange): GainCourse {
  const { sampleRateHz } = dry;
  const cellFrames = Math.max(1, Math.round(CELL_SECONDS * sampleRateHz));
  const count = Math.floor((region.endFrame - region.startFrame) / cellFrames);
  const products = new Float64Array(count);
  const energies = new Float64Array(count);
  let at = 0;
  const other = stretch(wet, region);
  for (const { channels } of piecesOf(dry, region)) {
    const { length } = channels[0];
    const beside = other.read(at, length);
    for (const [c, x] of channels.entries()) {
      const y = beside[Math.min(c, beside.length - 1)];
      for (let i = 0; i < length; i++) {
        const cell = Math.floor((at + i) / cellFrames);
        if (cell >= count) break;
        products[cell] += x[i] * y[i];
        energies[cell] += x[i] * x[i];
      }
    }
    at += length;
  }
  const smooth = (values: Float64Array, i: number) =>
    (values[i - 1] ?? values[i]) + 2 * values[i] + (values[i + 1] ?? values[i]);
  let loudest = 0;
  for (const energy of energies) loudest = Math.max(loudest, energy);
  const floor = loudest * pow(10, -QUIET_DB / 10);
  const gainDb = Float64Array.from({ length: count }, (_, i) => {
    if (energies[i] <= floor) return Number.NaN;
    const gain = smooth(products, i) / smooth(energies, i);
    return gain > 0 ? Math.max(LEAST_GAIN_DB, dbFromPower(gain * gain)) : LEAST_GAIN_DB;
  });
  return { startFrame: region.startFrame, cellFrames, sampleRateHz, gainDb };
}
