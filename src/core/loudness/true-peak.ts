import { type Clip, samplePeak } from "../audio/clip";
import { sin } from "../audio/exact-math";
import { kaiserAt, kaiserBeta } from "../audio/window";
import { peakBetween } from "../kernels/filters";

const REACH = 16;
const TAPS = 2 * REACH;

/**
 * Interpolators for the points between samples: a Kaiser-windowed sinc, 32 taps a phase, each phase of unity gain at
 * 0 Hz. Phase 0, the samples themselves, is left out: it is the sample peak.
 */
function interpolators(factor: number): Float64Array[] {
  const beta = kaiserBeta(70);
  return Array.from({ length: factor - 1 }, (_, index) => {
    const fraction = (index + 1) / factor;
    const taps = new Float64Array(TAPS);
    let sum = 0;
    for (let k = 0; k < TAPS; k++) {
      const distance = k - (REACH - 1) - fraction;
      taps[k] = (sin(Math.PI * distance) / (Math.PI * distance)) * kaiserAt(distance / REACH, beta);
      sum += taps[k];
    }
    return taps.map((t) => t / sum);
  });
}

/** Four points a sample: the standard's factor at 48 kHz, more than it asks for at higher rates. */
const PHASES = interpolators(4);
const BANK = Float64Array.from(PHASES.flatMap((taps) => Array.from(taps)));
/** No interpolated value can exceed the local sample peak times the sum of the magnitudes of the taps. */
const WORST_GAIN = Math.max(...PHASES.map((taps) => taps.reduce((sum, t) => sum + Math.abs(t), 0)));

/**
 * Largest magnitude between and on the samples, linear; over all channels.
 * ITU-R BS.1770-5 annex 2: oversampled at least four times; never under the sample peak.
 */
export function truePeak(clip: Clip): number {
  return clip.channels.reduce((peak, channel) => peakBetween(channel, BANK, TAPS, WORST_GAIN, peak), samplePeak(clip));
}
