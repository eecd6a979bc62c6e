import { z } from "zod";
import { type FrameRange, piecesOf, type Sound } from "../audio/sound";

/** Raise when a cell would come out differently. */
export const CELLS_VERSION = 1;

/** A cell is a millisecond, longer where there would be more of them than this. */
const CELL_SECONDS = 0.001;
const MOST_CELLS = 1 << 17;

/** A region in short cells: what level, gain and width over time are judged by. */
export const cellsSchema = z.object({
  sampleRateHz: z.number(),
  startFrame: z.number(),
  cellFrames: z.number(),
  /** Mean squares of the left channel, or of the only one; of the right one, and mean products of both, where there are two. */
  left: z.instanceof(Float32Array),
  right: z.instanceof(Float32Array).nullable(),
  product: z.instanceof(Float32Array).nullable(),
});
export type Cells = z.infer<typeof cellsSchema>;

/** How long cells of a region are, frames. */
export const cellFramesOf = (rateHz: number, frames: number): number =>
  Math.max(1, Math.round(CELL_SECONDS * rateHz), Math.ceil(frames / MOST_CELLS));

/** A region of a sound cell by cell; a last cell that is not whole is left out. */
export function levelCells(sound: Sound, region: FrameRange): Cells {
  const { sampleRateHz, channelCount } = sound;
  const cellFrames = cellFramesOf(sampleRateHz, region.endFrame - region.startFrame);
  const count = Math.floor((region.endFrame - region.startFrame) / cellFrames);
  const make = () => new Float32Array(count);
  const isStereo = channelCount > 1;
  const [left, right, product] = [make(), isStereo ? make() : null, isStereo ? make() : null];
  const sums = new Float64Array(3);
  let [cell, filled] = [0, 0];
  for (const { channels } of piecesOf(sound, region)) {
    const [l, r = l] = channels;
    for (let i = 0; i < l.length && cell < count; ) {
      const end = Math.min(l.length, i + cellFrames - filled);
      filled += end - i;
      for (; i < end; i++) {
        const a = l[i];
        const b = r[i];
        sums[0] += a * a;
        sums[1] += b * b;
        sums[2] += a * b;
      }
      if (filled < cellFrames) break;
      left[cell] = sums[0] / cellFrames;
      if (right) right[cell] = sums[1] / cellFrames;
      if (product) product[cell] = sums[2] / cellFrames;
      cell++;
      filled = 0;
      sums.fill(0);
    }
  }
  return { sampleRateHz, startFrame: region.startFrame, cellFrames, left, right, product };
}

/** Mean square of all channels, cell by cell. */
export const powerOf = ({ left, right }: Cells): Float32Array =>
  right ? left.map((v, i) => (v + right[i]) / 2) : left;

export const secondsOf = ({ cellFrames, sampleRateHz }: Cells): number => cellFrames / sampleRateHz;
