import { dbFromPower } from "../audio/decibels";
import { type FrameRange, piecesOf, type Sound } from "../audio/sound";

/** Highest sample over RMS, all channels together, dB; null for silence. */
export function crestDb(sound: Sound, region: FrameRange): number | null {
  let [peak, energy, count] = [0, 0, 0];
  for (const { channels } of piecesOf(sound, region)) {
    for (const channel of channels) {
      for (let i = 0; i < channel.length; i++) {
        const power = channel[i] * channel[i];
        energy += power;
        if (power > peak) peak = power;
      }
      count += channel.length;
    }
  }
  return energy > 0 ? dbFromPower((peak * count) / energy) : null;
}
