import { dbFromPower } from "../audio/decibels";
import type { Averaged } from "../spectrum/averaged";
import { bandSums } from "../spectrum/bands";

/** How wide a sound is, band by band; NaN where there is nothing to tell it by. */
export type StereoBands = {
  /** Side over mid, dB. */
  widthDb: Float64Array;
  /** Right over left, dB. */
  balanceDb: Float64Array;
  /** −1 to 1: the real part of the cross-spectrum over both powers. */
  correlation: Float64Array;
  /** What remains of both channels' power in mono, dB. */
  monoLossDb: Float64Array;
};

/** A band that holds less than this of the sound's power (−70 dB) tells nothing: there rounding and hiss are as wide as they like (common practice, no published source). */
const LEAST_SHARE = 1e-7;

/**
 * Width, balance and correlation over bands from averaged spectra of left, right, mid and side of one sound, each taken by itself: with
 * m = (l + r) / 2 and s = (l − r) / 2 the real part of left against right is |m|² − |s|².
 */
export function stereoBands(
  spectra: Record<"left" | "right" | "mid" | "side", Averaged>,
  of: number,
  hertz: readonly number[],
  perOctave: number,
): StereoBands {
  const band = ({ powers, points, sampleRateHz }: Averaged) =>
    bandSums(powers[of][0], sampleRateHz / points, hertz, perOctave);
  const [left, right, mid, side] = [spectra.left, spectra.right, spectra.mid, spectra.side].map(band);
  const whole = left.reduce((sum, v, i) => sum + v + right[i], 0);
  const told = (i: number, value: number) =>
    left[i] + right[i] > LEAST_SHARE * whole && Number.isFinite(value) ? value : Number.NaN;
  const by = (of: (i: number) => number) => Float64Array.from(hertz, (_, i) => told(i, of(i)));
  return {
    widthDb: by((i) => (mid[i] > 0 && side[i] > 0 ? dbFromPower(side[i] / mid[i]) : Number.NaN)),
    balanceDb: by((i) => (left[i] > 0 && right[i] > 0 ? dbFromPower(right[i] / left[i]) : Number.NaN)),
    correlation: by((i) =>
      left[i] > 0 && right[i] > 0
        ? Math.max(-1, Math.min(1, (mid[i] - side[i]) / Math.sqrt(left[i] * right[i])))
        : Number.NaN,
    ),
    monoLossDb: by((i) => (mid[i] > 0 ? dbFromPower((2 * mid[i]) / (left[i] + right[i])) : Number.NaN)),
  };
}
