import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import { MOST_ERROR_DB } from "./eq-response";
import { type FilterStage, ofChannel } from "./stages";

/** Energy of a response later than this is reverb or an echo; common practice, no published source. */
const LATE_SECONDS = 0.08;
/** It is named from this share on (−45 dB of the whole response), over what the fit's own noise spreads evenly. */
const LEAST_LATE = 3e-5;
/** An echo has this share of it within so many seconds of its highest tap. */
const ECHO_SHARE = 0.5;
const ECHO_SECONDS = 0.003;
/** What dies away sooner is no room: common practice. */
const LEAST_DECAY_SECONDS = 0.1;
/** The lowest frequencies ring late by themselves: they are left out by a difference over so many seconds. */
const PRE_SECONDS = 0.0004;

/** Late energy of a filter: a lone echo with its time, or reverb with the time it takes to fall by 60 dB; null where there is none. */
export function lateEnergyOf(
  { eq: { filters, lead } }: FilterStage,
  errors: readonly Float64Array[],
  hertz: readonly number[],
  rateHz: number,
): { cause: "echo"; milliseconds: number } | { cause: "reverb"; seconds: number } | null {
  const { responses, at: channel } = filters
    .map((filter, at) => ({ ...filter, at }))
    .reduce((a, b) => (b.responses[0].length > a.responses[0].length ? b : a));
  const h = atKnown(responses[0], ofChannel(errors, channel), hertz, rateHz);
  const step = Math.max(1, Math.round(PRE_SECONDS * rateHz));
  const sharp = h.map((v, n) => v - (h[n - step] ?? 0));
  const late = lead + Math.round(LATE_SECONDS * rateHz);
  if (h.length < late + Math.round(LATE_SECONDS * rateHz)) return null;
  const energy = (from: number, end: number) => {
    let total = 0;
    for (let n = Math.max(0, from); n < Math.min(end, sharp.length); n++) total += sharp[n] * sharp[n];
    return total;
  };
  const whole = energy(0, sharp.length);
  const after = energy(late, sharp.length);
  // What lies as far before time zero is what the fit does not know.
  const unknown = (energy(0, Math.max(1, lead - step)) / Math.max(1, lead - step)) * (sharp.length - late);
  if (after - unknown < LEAST_LATE * whole) return null;
  let top = late;
  for (let n = late; n < sharp.length; n++) if (Math.abs(sharp[n]) > Math.abs(sharp[top])) top = n;
  const near = Math.round(ECHO_SECONDS * rateHz);
  if (energy(top - near, top + near) > ECHO_SHARE * after)
    return { cause: "echo", milliseconds: (1000 * (top - lead)) / rateHz };
  // Schroeder's backward sum (1965), from −5 dB of the late part to −15 dB.
  const sums = new Float64Array(sharp.length + 1);
  for (let n = sharp.length - 1; n >= late; n--) sums[n] = sums[n + 1] + sharp[n] * sharp[n];
  const at = (share: number) => {
    for (let n = late; n < sharp.length; n++) if (sums[n] < share * sums[late]) return n;
    return sharp.length;
  };
  const seconds = (6 * (at(0.0316) - at(0.316))) / rateHz;
  return seconds < LEAST_DECAY_SECONDS ? null : { cause: "reverb", seconds };
}

/** Shares of what is known are averaged over so many frequencies to each side (a sixth of an octave): sharp edges would ring. */
const SOFT = 4;

/** A response at the frequencies where it is known: where there is no sound it is anything, at any time. */
function atKnown(
  response: Float64Array,
  errorDb: Float64Array,
  hertz: readonly number[],
  rateHz: number,
): Float64Array {
  const shares = hertz.map((_, i) => {
    const around = errorDb.subarray(Math.max(0, i - SOFT), i + SOFT + 1);
    return around.reduce((n, e) => n + (e < MOST_ERROR_DB ? 1 : 0), 0) / (2 * SOFT + 1);
  });
  const size = powerOfTwoAtLeast(2 * response.length);
  const spectrum = forwardReal(response, size);
  let i = 0;
  for (let k = 0; k < spectrum.length; k += 2) {
    const hz = ((k / 2) * rateHz) / size;
    while (i + 1 < hertz.length && hertz[i + 1] <= hz) i++;
    const isOutside = hz < hertz[0] || hz > hertz[hertz.length - 1];
    const way = i + 1 < hertz.length ? (hz - hertz[i]) / (hertz[i + 1] - hertz[i]) : 0;
    const share = isOutside ? 0 : (1 - way) * shares[i] + way * (shares[i + 1] ?? 0);
    spectrum[k] *= share;
    spectrum[k + 1] *= share;
  }
  return inverseReal(spectrum).slice(0, response.length);
}
