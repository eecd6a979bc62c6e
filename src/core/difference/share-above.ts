import { forwardWindowed } from "../audio/fft";
import type { Sound } from "../audio/sound";
import { hannWindow } from "../audio/window";

/** Raise when shares would come out differently. */
export const SHARE_ABOVE_VERSION = 1;

const POINTS = 4096;

/**
 * The share of a sound's energy above each frequency in Hz, channels together: Welch's averaged power (1967), Hann windows of 4096 points,
 * half overlapped. Null for silence, and where no window fits.
 */
export function sharesAbove(sound: Sound, hertz: readonly number[]): { hertz: number; share: number }[] | null {
  const window = hannWindow(POINTS);
  const power = new Float64Array(POINTS / 2 + 1);
  for (let start = 0; start + POINTS <= sound.frames; start += POINTS / 2) {
    for (const channel of sound.read(start, POINTS)) {
      const spectrum = forwardWindowed(Float32Array.from(channel), window);
      for (const i of power.keys()) power[i] += spectrum[2 * i] ** 2 + spectrum[2 * i + 1] ** 2;
    }
  }
  const total = power.reduce((sum, p) => sum + p, 0);
  if (total <= 0) return null;
  const binHz = sound.sampleRateHz / POINTS;
  return hertz.map((from) => ({
    hertz: from,
    share: power.subarray(Math.min(power.length, Math.ceil(from / binHz))).reduce((sum, p) => sum + p, 0) / total,
  }));
}
