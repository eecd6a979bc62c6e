import { type Clip, samplePeak } from "../audio/clip";
import { sin } from "../audio/exact-math";
import { kaiserAt, kaiserBeta } from "../audio/window";
import { PEAK_BLOCK, peakBetween, peaksAt } from "../kernels/filters";

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
 * Around the highest places the signal is read sixteen times a sample by a sinc of 1024 taps: four points a sample pass the top of a wave near half
 * the rate by up to 0.7 dB, and 32 taps lose what lies above 0.43 of the rate.
 */
const FINE_REACH = 512;
const FINE_TAPS = 2 * FINE_REACH;
const FINE_PHASES = 16;
/** Kaiser's shape parameter: little taper, so that what lies next to half the rate counts as it does in a plain sinc. */
const FINE_BETA = 2.5;
/** What the first reading may miss: places this far under the highest are read finely too (2 dB, linear). */
const MOST_MISSED = 0.8;
/** Within a block, places this near its highest are read finely. */
const NEAR_BLOCK_PEAK = 0.95;
/** Places read finely at the most, the highest first. */
const MOST_FINE_PLACES = 2000;

let fineTable: Float64Array | null = null;

/** Rows of taps for k / 16 of a sample, k = 0 to 15. */
function fineTaps(): Float64Array {
  if (fineTable) return fineTable;
  fineTable = new Float64Array(FINE_PHASES * FINE_TAPS);
  for (let phase = 0; phase < FINE_PHASES; phase++) {
    for (let k = 0; k < FINE_TAPS; k++) {
      const distance = k - (FINE_REACH - 1) - phase / FINE_PHASES;
      const sinc = distance === 0 ? 1 : sin(Math.PI * distance) / (Math.PI * distance);
      fineTable[phase * FINE_TAPS + k] = sinc * kaiserAt(distance / FINE_REACH, FINE_BETA);
    }
  }
  return fineTable;
}

/** The first reading at a frame: the sample and three points behind it. */
function coarsePeak(signal: Float32Array, frame: number): number {
  let most = Math.abs(signal[frame] ?? 0);
  const from = frame - (REACH - 1);
  for (const taps of PHASES) {
    let sum = 0;
    for (let k = 0; k < TAPS; k++) sum += (signal[from + k] ?? 0) * taps[k];
    most = Math.max(most, Math.abs(sum));
  }
  return most;
}

/** The frames of a block before the tops that a first reading saw there. */
function topsIn(signal: Float32Array, block: number, blockPeak: number): number[] {
  // A row's tap `REACH` − 1 falls on the frame that it reads on from.
  const start = block * PEAK_BLOCK + (1 - TAPS) + (REACH - 1);
  return Array.from({ length: PEAK_BLOCK }, (_, i) => ({ frame: start + i, value: coarsePeak(signal, start + i) }))
    .filter(({ value }) => value > NEAR_BLOCK_PEAK * blockPeak)
    .sort((a, b) => b.value - a.value)
    .map(({ frame }) => frame - 1);
}

/** The highest of the places that a first reading left near the top, each read finely, the most promising first. */
function refinedPeak(signal: Float32Array, blockPeaks: Float64Array, peak: number): number {
  const near: number[] = [];
  for (let b = 0; b < blockPeaks.length; b++) if (blockPeaks[b] > MOST_MISSED * peak) near.push(b);
  near.sort((a, b) => blockPeaks[b] - blockPeaks[a]);
  let most = peak;
  let left = MOST_FINE_PLACES;
  function* frames() {
    for (const block of near) {
      if (left <= 0 || blockPeaks[block] <= MOST_MISSED * most) return;
      for (const frame of topsIn(signal, block, blockPeaks[block])) {
        left--;
        yield frame;
      }
    }
  }
  for (const value of peaksAt(signal, fineTaps(), FINE_TAPS, FINE_REACH - 1, frames())) most = Math.max(most, value);
  return most;
}

/**
 * Largest magnitude between and on the samples, linear; over all channels. ITU-R BS.1770-5 annex 2: oversampled at least four times,
 * here sixteen times around what comes near the top; never under the sample peak.
 */
export function truePeak(clip: Clip): number {
  const readings = clip.channels.map((channel) => ({ channel, ...peakBetween(channel, BANK, TAPS, WORST_GAIN, 0) }));
  const first = readings.reduce((peak, r) => Math.max(peak, r.peak), samplePeak(clip));
  return readings.reduce((peak, { channel, blockPeaks }) => refinedPeak(channel, blockPeaks, peak), first);
}
