import type { Clip } from "../audio/clip";
import { dbFromPower } from "../audio/decibels";
import { atan2, cos, sin } from "../audio/exact-math";
import { bandCentres } from "../spectrum/bands";
import type { FoundFilter } from "./found";

/**
 * The filter that was found as an impulse response: a channel for each response, one for mono, left and right, or where left and right are mixed four: left into
 * left, right into left, left into right, right into right. Frame `lead` of the filter counts as time zero, so a host has to take that delay off.
 */
export const impulseOf = ({ responses }: FoundFilter, sampleRateHz: number): Clip => ({
  sampleRateHz,
  channels: responses.flatMap((inputs) => inputs.map((taps) => Float32Array.from(taps))),
});

/** A filter over frequency: gain and phase by response, time zero taken off. */
export type FilterCurve = { hertz: number[]; responses: { gainDb: number[]; degrees: number[] }[] };

const PER_OCTAVE = 24;

/** What a filter does at 24 places to the octave from 20 Hz to 20 kHz, or to half the rate: each tap summed, not read off a grid. */
export function filterCurve({ responses, lead }: FoundFilter, sampleRateHz: number): FilterCurve {
  const hertz = bandCentres(PER_OCTAVE, 20, Math.min(20_000, sampleRateHz / 2));
  return {
    hertz,
    responses: responses.flat().map((taps) => {
      const at = hertz.map((hz) => responseAt(taps, lead, (2 * Math.PI * hz) / sampleRateHz));
      return {
        gainDb: at.map(([re, im]) => dbFromPower(re * re + im * im)),
        degrees: at.map(([re, im]) => (180 / Math.PI) * atan2(im, re)),
      };
    }),
  };
}

/** Σ h(k) e^(−iω(k − lead)), the exponentials by turning one on. */
function responseAt(taps: Float64Array, lead: number, omega: number): [re: number, im: number] {
  const [turnRe, turnIm] = [cos(omega), -sin(omega)];
  let [c, s] = [cos(omega * lead), sin(omega * lead)];
  let [re, im] = [0, 0];
  for (const tap of taps) {
    re += tap * c;
    im += tap * s;
    [c, s] = [c * turnRe - s * turnIm, c * turnIm + s * turnRe];
  }
  return [re, im];
}
