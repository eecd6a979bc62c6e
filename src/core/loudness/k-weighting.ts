import type { Biquad } from "../audio/biquad";
import { pow, tan } from "../audio/exact-math";

/**
 * The two sections of K-weighting, ITU-R BS.1770-5 annex 1: a high shelf for the head, then a high-pass.
 * The standard tabulates 48 kHz alone; for other rates the sections are re-derived by the bilinear transform from the
 * analogue prototypes those tables come from (shelf 1681.9745 Hz, +3.99984 dB, Q 0.70718; high-pass 38.1355 Hz,
 * Q 0.50033), which gives back the tabulated figures at 48 kHz.
 */
export function kWeighting(sampleRateHz: number): { shelf: Biquad; highPass: Biquad } {
  return { shelf: headShelf(sampleRateHz), highPass: rumbleHighPass(sampleRateHz) };
}

const SHELF_HZ = 1681.974450955533;
const SHELF_DB = 3.999843853973347;
const SHELF_Q = 0.7071752369554196;
/** Exponent that sets the mid-point gain of the standard's shelf; fitted to its 48 kHz table. */
const SHELF_MIDPOINT = 0.4996667741545416;
const HIGH_PASS_HZ = 38.13547087602444;
const HIGH_PASS_Q = 0.5003270373238773;

function headShelf(sampleRateHz: number): Biquad {
  const k = tan((Math.PI * SHELF_HZ) / sampleRateHz);
  const high = pow(10, SHELF_DB / 20);
  const band = pow(high, SHELF_MIDPOINT);
  const a0 = 1 + k / SHELF_Q + k * k;
  return {
    b0: (high + (band * k) / SHELF_Q + k * k) / a0,
    b1: (2 * (k * k - high)) / a0,
    b2: (high - (band * k) / SHELF_Q + k * k) / a0,
    a1: (2 * (k * k - 1)) / a0,
    a2: (1 - k / SHELF_Q + k * k) / a0,
  };
}

function rumbleHighPass(sampleRateHz: number): Biquad {
  const k = tan((Math.PI * HIGH_PASS_HZ) / sampleRateHz);
  const a0 = 1 + k / HIGH_PASS_Q + k * k;
  // The standard leaves the numerator at 1, −2, 1; its small pass-band gain is part of the −0.691 constant.
  return { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / HIGH_PASS_Q + k * k) / a0 };
}
