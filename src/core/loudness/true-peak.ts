import { type Clip, samplePeak } from "../audio/clip";
import { dotProduct } from "../audio/dot-product";
import { kaiserAt, kaiserBeta } from "../audio/window";

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
      taps[k] = (Math.sin(Math.PI * distance) / (Math.PI * distance)) * kaiserAt(distance / REACH, beta);
      sum += taps[k];
    }
    return taps.map((t) => t / sum);
  });
}

/** Four points a sample: the standard's factor at 48 kHz, more than it asks for at higher rates. */
const PHASES = interpolators(4);
/** No interpolated value can exceed the local sample peak times the sum of the magnitudes of the taps. */
const WORST_GAIN = Math.max(...PHASES.map((taps) => taps.reduce((sum, t) => sum + Math.abs(t), 0)));

/**
 * Largest magnitude between and on the samples, linear; over all channels.
 * ITU-R BS.1770-5 annex 2: oversampled at least four times; never under the sample peak.
 */
export function truePeak(clip: Clip): number {
  let peak = samplePeak(clip);
  for (const channel of clip.channels) peak = interpolatedPeak(channel, peak);
  return peak;
}

const BLOCK = 64;

function interpolatedPeak(input: Float32Array, startPeak: number): number {
  let peak = startPeak;
  const padded = new Float32Array(input.length + 2 * TAPS);
  padded.set(input, TAPS);
  for (let block = -REACH; block < input.length + REACH; block += BLOCK) {
    const first = block + TAPS - (REACH - 1);
    const last = Math.min(padded.length, first + BLOCK + TAPS);
    let local = 0;
    for (let i = Math.max(0, first); i < last; i++) {
      const magnitude = Math.abs(padded[i]);
      if (magnitude > local) local = magnitude;
    }
    // A block that provably cannot beat the running maximum is skipped.
    if (local * WORST_GAIN <= peak) continue;
    const end = Math.min(first + BLOCK, padded.length - TAPS);
    for (const taps of PHASES) {
      for (let start = Math.max(0, first); start < end; start++) {
        const magnitude = Math.abs(dotProduct(padded, start, taps, 0, TAPS));
        if (magnitude > peak) peak = magnitude;
      }
    }
  }
  return peak;
}
