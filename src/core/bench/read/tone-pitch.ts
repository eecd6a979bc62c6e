import { atan2, hypot } from "../../audio/exact-math";
import type { Tone } from "../signal/signal-plan";
import { GUARD_SECONDS, lineInHalves, linePowers } from "./tone-reading";

/** Of a ladder the loudest so many: noise turns their phase least. */
const LOUDEST = 10;
const LEAST_TONES = 5;
/** Tones that come back this far off are at another pitch: clocks are laid on the marks before, to far less (ppm). */
const OFF_PPM = 100;
/** A line's width under a Hann window, in bins; what an octaver or a rectifier adds is louder than a tone that is not there (power). */
const LINE_BINS = 3;
const LEAST_SHARE = 0.25;
/** Half of all tones lie within this share of the middle one: what goes to and fro is no pitch. */
const ALIKE_SHARE = 0.25;

/**
 * How far off tones of one frequency come back in pitch, once the recording's clock is that of the signal: a shift of pitch, or another tempo at the same
 * pitch. Ten cents are 5,793 ppm.
 *
 * @param channel laid on the signal
 * @param tones of one frequency at rising levels, whole ones
 * @returns ppm; null where they come back where they were sent, or not alike
 */
export function tonePitchPpm(channel: Float32Array, tones: readonly Tone[], rateHz: number): number | null {
  const offs = tones
    .slice(-LOUDEST)
    .map((tone) => offPpm(channel, tone, rateHz))
    .filter((ppm) => ppm !== null)
    .toSorted((a, b) => a - b);
  if (offs.length < LEAST_TONES) return null;
  const at = (part: number) => offs[Math.round(part * (offs.length - 1))];
  const [low, middle, high] = [at(0.25), at(0.5), at(0.75)];
  return Math.abs(middle) > OFF_PPM && high - low < ALIKE_SHARE * Math.abs(middle) ? middle : null;
}

/** By how far the strongest line within an octave of a tone is off it; null where another line, or nothing, is louder. */
function offPpm(channel: Float32Array, { startFrame, frames, points, bin }: Tone, rateHz: number): number | null {
  const end = startFrame + frames - Math.round(GUARD_SECONDS * rateHz);
  const read = channel.slice(end - points, end);
  const powers = linePowers(read);
  let [strongest, loudest] = [bin, 0];
  for (let k = LINE_BINS; k < powers.length; k++) {
    loudest = Math.max(loudest, powers[k]);
    if (k > bin / 2 + LINE_BINS && k < 2 * bin - LINE_BINS && powers[k] > powers[strongest]) strongest = k;
  }
  if (powers[strongest] < LEAST_SHARE * loudest) return null;
  const [first, second] = lineInHalves(read, strongest);
  if (hypot(first.re, first.im) === 0 || hypot(second.re, second.im) === 0) return null;
  const re = second.re * first.re + second.im * first.im;
  const im = second.im * first.re - second.re * first.im;
  // How far its phase turns from the first half to the last tells where between two bins it lies.
  const turned = atan2(im, re) / (Math.PI * strongest);
  return 1e6 * ((strongest * (1 + turned)) / bin - 1);
}
