import { lowPass } from "../audio/low-pass";
import type { Recipe } from "../recipes/recipe";

/** The anchor of ITU-R BS.1534-3: the reference through a low-pass at 3.5 kHz, 25 dB down at 4 kHz and 50 at 4.5 (memory); this one is 60 down at 4. */
const PASS_HZ = 3500;
const STOP_HZ = 4000;
const ATTENUATION_DB = 60;

/** Under this rate there is nothing above the anchor's corner to be taken away. */
export const LEAST_ANCHOR_RATE_HZ = 2.2 * STOP_HZ;

export function anchorOf(reference: Recipe, sampleRateHz: number): Recipe {
  const { taps, lead } = lowPass(sampleRateHz, PASS_HZ, STOP_HZ, ATTENUATION_DB);
  return { of: "filter", source: reference, responses: [taps], lead };
}
