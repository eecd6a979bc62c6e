import { filterRow } from "../audio/biquad";
import type { Clip } from "../audio/clip";
import { dbFromPower } from "../audio/decibels";
import { atan2 } from "../audio/exact-math";
import { bandCentres } from "../spectrum/bands";
import { responseOfTaps } from "./eq-response";
import type { Found, FoundFilter } from "./found-chain";

/** A cascade is reported as so many seconds of its response. */
const CASCADE_SECONDS = 0.35;

/** The first filter of what was found, as taps for left and right (of mid and side: two by two); null where there is none. */
export function filterOf({ stages, domain }: Found, sampleRateHz: number): FoundFilter | null {
  const stage = stages.find(({ kind }) => kind === "filter" || kind === "cascade");
  if (stage?.kind !== "filter" && stage?.kind !== "cascade") return null;
  let own: FoundFilter;
  if (stage.kind === "filter") own = stage.filter;
  else {
    const responses = stage.sections.map((row) => {
      const response = new Float64Array(Math.round(CASCADE_SECONDS * sampleRateHz));
      response[0] = 1;
      filterRow(response, row);
      return [response];
    });
    own = {
      responses: responses.length > 1 || domain === "left-right" ? responses : [responses[0], responses[0]],
      lead: 0,
    };
  }
  if (own.responses[0][0].length <= 1) return null;
  if (domain === "left-right" || own.responses.length < 2 || own.responses[0].length > 1) return own;
  const [[mid], [side]] = own.responses;
  const straight = mid.map((v, k) => (v + side[k]) / 2);
  const across = mid.map((v, k) => (v - side[k]) / 2);
  return {
    lead: own.lead,
    responses: [
      [straight, across],
      [across, straight],
    ],
  };
}

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
      const { re, im } = responseOfTaps(taps, lead, hertz, sampleRateHz);
      return {
        gainDb: hertz.map((_, i) => dbFromPower(re[i] ** 2 + im[i] ** 2)),
        degrees: hertz.map((_, i) => (180 / Math.PI) * atan2(im[i], re[i])),
      };
    }),
  };
}
