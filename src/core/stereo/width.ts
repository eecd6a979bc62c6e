import { dbFromPower } from "../audio/decibels";
import { type FrameRange, piecesOf, type Sound } from "../audio/sound";

export type StereoFigures = {
  /** Side over mid, dB; null for mono, and where one of the two is silent. */
  widthDb: number | null;
  /** Σlr / √(Σl² Σr²); null for mono, and where a channel is silent. */
  correlation: number | null;
  /** Right over left, dB. */
  balanceDb: number | null;
  /** What of the level is lost in mono, dB, against both channels' own power. */
  monoLossDb: number | null;
};

/** How wide a sound is over a region. */
export function stereoFigures(sound: Sound, region: FrameRange): StereoFigures {
  if (sound.channelCount < 2) return { widthDb: null, correlation: null, balanceDb: null, monoLossDb: null };
  let [left, right, product] = [0, 0, 0];
  for (const {
    channels: [l, r],
  } of piecesOf(sound, region)) {
    for (let i = 0; i < l.length; i++) {
      left += l[i] * l[i];
      right += r[i] * r[i];
      product += l[i] * r[i];
    }
  }
  const [mid, side] = [left + right + 2 * product, left + right - 2 * product];
  // What rounding leaves of a side of equal channels is none.
  const least = 1e-12 * (left + right);
  return {
    widthDb: mid > least && side > least ? dbFromPower(side / mid) : null,
    correlation: left > 0 && right > 0 ? product / Math.sqrt(left * right) : null,
    balanceDb: left > 0 && right > 0 ? dbFromPower(right / left) : null,
    monoLossDb: left + right > 0 && mid > least ? dbFromPower(mid / (2 * (left + right))) : null,
  };
}
