import { z } from "zod";
import { type FrameRange, piecesOf, type Sound } from "../audio/sound";

/** Raise when the plane would come out differently. */
export const PLANE_VERSION = 1;

/** Cells of the plane across and up. */
export const PLANE_CELLS = 129;

/** How often a sound stands where on the plane of side and mid: cells row by row, top (mid upwards) first, side to the right. */
export const planeSchema = z.object({
  counts: z.instanceof(Float32Array),
  /** What the edge stands for: the largest magnitude of a channel, of full scale. */
  reach: z.number(),
});
export type Plane = z.infer<typeof planeSchema>;

/** Left leans to the left, right to the right; null for mono and silence. Side is (r − l) / 2, mid (l + r) / 2. */
export function phasePlane(sound: Sound, region: FrameRange): Plane | null {
  if (sound.channelCount < 2) return null;
  let reach = 0;
  for (const { channels } of piecesOf(sound, region))
    for (const channel of channels) for (const v of channel) reach = Math.max(reach, Math.abs(v));
  if (reach === 0) return null;
  const counts = new Float32Array(PLANE_CELLS * PLANE_CELLS);
  const half = (PLANE_CELLS - 1) / 2;
  const scale = half / reach / 2;
  for (const {
    channels: [left, right],
  } of piecesOf(sound, region)) {
    for (let i = 0; i < left.length; i++) {
      const x = Math.round(half + scale * (right[i] - left[i]));
      const y = Math.round(half - scale * (left[i] + right[i]));
      counts[y * PLANE_CELLS + x]++;
    }
  }
  return { counts, reach };
}
