import { z } from "zod";
import { dbFromPower } from "../audio/decibels";
import type { FrameRange, Sound } from "../audio/sound";
import { clearTransients } from "./clear-transients";

/** Raise when an transient would be shown differently. */
export const ONSET_SHAPE_VERSION = 1;

/** Transients shown at the most. */
const ONSETS = 40;
/** What is seen of each: so long before and after, in cells of a quarter of a millisecond. */
const CELL_SECONDS = 0.000_25;
const LEAD_CELLS = 160;
const CELLS = 400;
/** Before an transient, up to just before it; after it (common practice, no published source). */
const BEFORE_SECONDS = 0.02;
const GUARD_SECONDS = 0.001;
const AFTER_SECONDS = 0.02;
/** Levels over time are read over a millisecond. */
const SMOOTH_CELLS = 4;
const SILENT_POWER = 1e-15;

/** Powers around the transients of the first sound, cell by cell, of several sounds aligned. */
export const transientShapesSchema = z.object({
  sampleRateHz: z.number(),
  cellSeconds: z.number(),
  leadCells: z.number(),
  cells: z.number(),
  /** Frames of the passage. */
  frames: z.array(z.number()),
  /** By sound: transients · cells. */
  powers: z.array(z.instanceof(Float32Array)),
});
export type TransientShapes = z.infer<typeof transientShapesSchema>;

/** The transients of a region are found in the first sound; where the others have theirs is seen against that. */
export function transientShapes(sounds: readonly Sound[], region: FrameRange): TransientShapes {
  const [first] = sounds;
  const { sampleRateHz } = first;
  const cellFrames = Math.max(1, Math.round(CELL_SECONDS * sampleRateHz));
  const frames = clearTransients(first, region, ONSETS);
  const powers = sounds.map((sound) => {
    const output = new Float32Array(frames.length * CELLS);
    for (const [n, frame] of frames.entries()) {
      const channels = sound.read(frame - LEAD_CELLS * cellFrames, CELLS * cellFrames);
      for (const channel of channels)
        for (let cell = 0; cell < CELLS; cell++) {
          let sum = 0;
          for (let i = cell * cellFrames; i < (cell + 1) * cellFrames; i++) sum += channel[i] * channel[i];
          output[n * CELLS + cell] += sum / (cellFrames * channels.length);
        }
    }
    return output;
  });
  return { sampleRateHz, cellSeconds: cellFrames / sampleRateHz, leadCells: LEAD_CELLS, cells: CELLS, frames, powers };
}

/** What an transient is like, over all transients or one of them. */
export type TransientReading = {
  /** Level around it, dB over the highest level of the first sound within 20 ms after it; NaN in silence. */
  levelDb: Float64Array;
  /** Energy in the 20 ms before over that in the 20 ms after, dB; null where there is none before. */
  beforeDb: number | null;
  /** When half of the energy of the 20 ms after it has come: what is smeared comes later. */
  halfMs: number | null;
};

/** One sound's transient, or all of them averaged, each counted by how loud the first sound is in it; null where there is none. */
export function readTransient(shapes: TransientShapes, sound: number, only: number | null): TransientReading | null {
  const { cells, leadCells, cellSeconds, frames, powers } = shapes;
  const after = Math.round(AFTER_SECONDS / cellSeconds);
  const sum = new Float64Array(cells);
  let counted = 0;
  for (let n = 0; n < frames.length; n++) {
    if (only !== null && n !== only) continue;
    const peak = highest(smooth(powers[0].subarray(n * cells, (n + 1) * cells)), leadCells - SMOOTH_CELLS, after);
    if (!(peak > SILENT_POWER)) continue;
    counted++;
    for (let i = 0; i < cells; i++) sum[i] += powers[sound][n * cells + i] / peak;
  }
  if (counted === 0) return null;
  const level = smooth(sum.map((v) => v / counted));
  const energy = (from: number, end: number) => {
    let total = 0;
    for (let i = Math.max(0, from); i < Math.min(cells, end); i++) total += sum[i];
    return total;
  };
  const before = energy(
    leadCells - Math.round(BEFORE_SECONDS / cellSeconds),
    leadCells - Math.round(GUARD_SECONDS / cellSeconds),
  );
  const whole = energy(leadCells, leadCells + after);
  return {
    levelDb: level.map((v) => (v > SILENT_POWER ? dbFromPower(v) : Number.NaN)),
    beforeDb: before > 0 && whole > 0 ? dbFromPower(before / whole) : null,
    halfMs: whole > 0 ? halfOf(sum, leadCells, whole) * cellSeconds * 1000 : null,
  };
}

/** Means over a millisecond around each cell. */
const smooth = (values: ArrayLike<number>): Float64Array =>
  Float64Array.from(values, (_, i) => {
    const [from, end] = [Math.max(0, i - SMOOTH_CELLS / 2), Math.min(values.length, i + SMOOTH_CELLS / 2)];
    let sum = 0;
    for (let k = from; k < end; k++) sum += values[k];
    return sum / (end - from);
  });

function highest(level: Float64Array, from: number, count: number): number {
  let most = 0;
  for (let i = Math.max(0, from); i < Math.min(level.length, from + count); i++) most = Math.max(most, level[i]);
  return most;
}

/** Cells after an transient until half of an energy has come, to parts of one. */
function halfOf(powers: Float64Array, lead: number, whole: number): number {
  let [sum, cell] = [0, lead];
  while (sum + powers[cell] < whole / 2) sum += powers[cell++];
  return cell - lead + (whole / 2 - sum) / powers[cell];
}
