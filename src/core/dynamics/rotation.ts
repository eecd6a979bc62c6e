import { z } from "zod";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { cos, sin } from "../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import { overlapAdd } from "../audio/overlap-add";
import { turnedSpectrum } from "../audio/quadrature";
import type { FrameRange, Sound } from "../audio/sound";
import { hannWindow } from "../audio/window";
import { clearTransients } from "./clear-transients";

/** Raise when a rotation would come out differently. */
export const ROTATION_VERSION = 1;

/** Windows last about so long: frequencies under a few hertz are not turned right. */
const WINDOW_SECONDS = 1;
const STEP_DEGREES = 5;
/** Transients that the cost is judged by, at the most, and what is taken for before and after one (common practice, no published source). */
const ONSETS = 40;
const BEFORE_SECONDS = 0.01;
const GUARD_SECONDS = 0.0005;
const AFTER_SECONDS = 0.02;

/** What turning every frequency by one angle does to a region: peaks of the samples, and what comes before transients. */
export const rotationSchema = z.object({
  degrees: z.instanceof(Float64Array),
  /** Highest sample at each angle, dBFS; NaN for silence. */
  peakDbfs: z.instanceof(Float64Array),
  /** Energy in the 10 ms before transients over that in the 20 ms after, dB, at each angle; NaN where there is no transient or silence before them all. */
  beforeDb: z.instanceof(Float64Array),
  onsets: z.number(),
});
export type Rotation = z.infer<typeof rotationSchema>;

/**
 * Peaks and what comes before transients when all frequencies are turned by 0 to 180°, x · cos θ + h · sin θ with h the Hilbert transform of x: levels and
 * spectrum stay as they are, the peaks do not.
 */
export function phaseRotation(sound: Sound, region: FrameRange, pause: (share: number) => void = () => {}): Rotation {
  const { sampleRateHz } = sound;
  const size = powerOfTwoAtLeast(WINDOW_SECONDS * sampleRateHz);
  const degrees = Float64Array.from({ length: 180 / STEP_DEGREES + 1 }, (_, i) => i * STEP_DEGREES);
  const turns = degrees.map((angle) => cos((angle * Math.PI) / 180));
  const across = degrees.map((angle) => sin((angle * Math.PI) / 180));
  const peaks = new Float64Array(degrees.length);
  // No sample whose own magnitude, whatever the angle, is under the lowest peak so far can raise one.
  let lowest = 0;
  overlapAdd(
    sound,
    region,
    size,
    (spectrum) => [turnedSpectrum(spectrum)],
    (_, __, [half], plain) => {
      for (let i = 0; i < plain.length; i++) {
        const x = plain[i];
        const h = half[i];
        if (x * x + h * h <= lowest * lowest) continue;
        let least = Number.POSITIVE_INFINITY;
        for (let t = 0; t < peaks.length; t++) {
          const magnitude = Math.abs(x * turns[t] + h * across[t]);
          if (magnitude > peaks[t]) peaks[t] = magnitude;
          if (peaks[t] < least) least = peaks[t];
        }
        lowest = least;
      }
    },
    (share) => pause(0.9 * share),
  );
  const transients = clearTransients(sound, region, ONSETS);
  const { before, after } = aroundTransients(sound, transients, size);
  const energyAt = ({ xx, xh, hh }: Products, t: number) =>
    turns[t] ** 2 * xx + 2 * turns[t] * across[t] * xh + across[t] ** 2 * hh;
  return {
    degrees,
    peakDbfs: peaks.map((peak) => (peak > 0 ? dbFromAmplitude(peak) : Number.NaN)),
    beforeDb: degrees.map((_, t) => {
      const [early, late] = [energyAt(before, t), energyAt(after, t)];
      return early > 0 && late > 0 ? dbFromPower(early / late) : Number.NaN;
    }),
    onsets: transients.length,
  };
}

type Products = { xx: number; xh: number; hh: number };

/** Products of the sound and its transform summed before transients and after them. */
function aroundTransients(
  sound: Sound,
  transients: readonly number[],
  size: number,
): Record<"before" | "after", Products> {
  const { sampleRateHz } = sound;
  const window = hannWindow(size);
  const frames = (seconds: number) => Math.round(seconds * sampleRateHz);
  const sums = { before: { xx: 0, xh: 0, hh: 0 }, after: { xx: 0, xh: 0, hh: 0 } };
  const middle = size / 2;
  for (const transient of transients) {
    for (const channel of sound.read(transient - middle, size)) {
      const plain = window.map((w, i) => w * channel[i]);
      const across = inverseReal(turnedSpectrum(forwardReal(plain, size)));
      const add = (to: Products, from: number, end: number) => {
        for (let i = middle + from; i < middle + end; i++) {
          to.xx += plain[i] ** 2;
          to.xh += plain[i] * across[i];
          to.hh += across[i] ** 2;
        }
      };
      add(sums.before, -frames(BEFORE_SECONDS), -Math.max(1, frames(GUARD_SECONDS)));
      add(sums.after, 0, frames(AFTER_SECONDS));
    }
  }
  return sums;
}
