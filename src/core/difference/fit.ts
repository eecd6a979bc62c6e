import { sharedFrames } from "../alignment/aligned";
import type { Placement } from "../alignment/alignment";
import type { Clip } from "../audio/clip";
import { log10 } from "../audio/exact-math";
import { type Sound, soundOf, stretch } from "../audio/sound";
import { bestNullDb, leastSquaresGain } from "./residual";

/** What remains between a render and its dry one before and after it is aligned, each at its own best gain. */
export type Residuals = { beforeDb: number | null; afterDb: number | null };

/**
 * Residuals over the dry render's RMS, in dB, on the frames both cover; each at the gain (never negative) that nulls deepest,
 * so that level does not hide what timing does. null is digital silence. `render` is at the dry one's rate.
 */
export function residualsAround(
  dry: Sound | Clip,
  render: Sound | Clip,
  aligned: Sound | Clip,
  placement: Placement,
  edgeFrames = 0,
): Residuals {
  const shared = sharedFrames(soundOf(dry).frames, soundOf(render).frames, placement, edgeFrames);
  return { beforeDb: bestNullDb(dry, render), afterDb: bestNullDb(stretch(dry, shared), stretch(aligned, shared)) };
}

/** The gain in dB that lays a render aligned on its dry one with the smallest residual; null where none does. */
export function leastSquaresGainDb(dry: Sound | Clip, aligned: Sound | Clip): number | null {
  const gain = leastSquaresGain(dry, aligned);
  return gain > 0 ? 20 * log10(gain) : null;
}
