import type { Clip } from "../audio/clip";
import { sin } from "../audio/exact-math";
import { piecesOf, type Sound, soundOf } from "../audio/sound";
import { kaiserAt, kaiserBeta } from "../audio/window";
import { PEAK_BLOCK, peakBetween, peaksAt } from "../kernels/filters";
import { largestMagnitude } from "../kernels/sums";

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

/** What lies around a block of places, as far as a fine reading of any of them looks, and the highest that a first reading saw there. */
type Top = { window: Float32Array; peak: number };

/** Frames before the first place of a block, and all of a block's frames, that a fine reading of it looks at. */
const WINDOW_BEFORE = FINE_REACH + 8;
const WINDOW_FRAMES = WINDOW_BEFORE + PEAK_BLOCK + FINE_REACH + TAPS + 16;

/** The first reading at a frame: the sample and three points behind it. */
function coarsePeak(signal: Float32Array, frame: number): number {
  let most = Math.abs(signal[frame]);
  const from = frame - (REACH - 1);
  for (const taps of PHASES) {
    let sum = 0;
    for (let k = 0; k < TAPS; k++) sum += signal[from + k] * taps[k];
    most = Math.max(most, Math.abs(sum));
  }
  return most;
}

/** The frames of a window before the tops that a first reading saw in its block. */
function topsIn({ window, peak }: Top): number[] {
  // A row's tap `REACH` − 1 falls on the frame that it reads on from.
  const start = WINDOW_BEFORE + (REACH - 1);
  return Array.from({ length: PEAK_BLOCK }, (_, i) => ({ frame: start + i, value: coarsePeak(window, start + i) }))
    .filter(({ value }) => value > NEAR_BLOCK_PEAK * peak)
    .sort((a, b) => b.value - a.value)
    .map(({ frame }) => frame - 1);
}

/** The highest of the places that a first reading left near the top, each read finely, the most promising first. */
function refinedPeak(tops: readonly Top[], peak: number): number {
  let most = peak;
  let left = MOST_FINE_PLACES;
  for (const top of tops) {
    if (left <= 0 || top.peak <= MOST_MISSED * most) break;
    const frames = topsIn(top).slice(0, left);
    left -= frames.length;
    for (const value of peaksAt(top.window, fineTaps(), FINE_TAPS, FINE_REACH - 1, frames))
      most = Math.max(most, value);
  }
  return most;
}

/** One channel as it comes: its peak on a first reading, and what lies around the highest blocks, kept for a second one. */
class ChannelPeak {
  peak = 0;
  samplePeak = 0;
  private tops: Top[] = [];
  /** Blocks under this are not among the highest any more. */
  private least = 0;
  /** Where samples wait that a window may still want; the first lies `WINDOW_BEFORE` before the next place. Grows with the pieces. */
  private room = new Float32Array(WINDOW_BEFORE + TAPS - 1);
  private held = this.room;

  /** Reads what is wholly known of what has come. */
  add(samples: Float32Array): void {
    this.samplePeak = Math.max(this.samplePeak, largestMagnitude(samples));
    this.extend(samples);
    const places = this.held.length - WINDOW_FRAMES;
    this.read(Math.floor(places / PEAK_BLOCK) * PEAK_BLOCK);
  }

  /** Reads the rest, silence behind it, and gives the blocks worth a second reading, highest first. */
  finish(): Top[] {
    const places = this.held.length - WINDOW_BEFORE;
    this.extend(new Float32Array(WINDOW_FRAMES));
    this.read(places);
    this.keepHighest();
    return this.tops;
  }

  private extend(samples: Float32Array): void {
    const known = this.held.length;
    if (this.room.length < known + samples.length) {
      this.room = new Float32Array(known + samples.length);
      this.room.set(this.held);
    } else if (this.held.byteOffset > 0) this.room.set(this.held);
    this.room.set(samples, known);
    this.held = this.room.subarray(0, known + samples.length);
  }

  private read(places: number): void {
    if (places <= 0) return;
    const signal = this.held.subarray(WINDOW_BEFORE);
    const { peak, blockPeaks } = peakBetween(signal, places, BANK, TAPS, WORST_GAIN, this.peak);
    this.peak = peak;
    for (const [block, blockPeak] of blockPeaks.entries()) {
      if (blockPeak <= this.least || blockPeak <= MOST_MISSED * peak) continue;
      const from = block * PEAK_BLOCK;
      this.tops.push({ window: this.held.slice(from, from + WINDOW_FRAMES), peak: blockPeak });
      if (this.tops.length >= 2 * MOST_FINE_PLACES) this.keepHighest();
    }
    this.held = this.held.subarray(places);
  }

  /** A block holds one place at the least that is read finely, so no more blocks than places are needed. */
  private keepHighest(): void {
    this.tops = this.tops.sort((a, b) => b.peak - a.peak).slice(0, MOST_FINE_PLACES);
    if (this.tops.length === MOST_FINE_PLACES) this.least = this.tops[MOST_FINE_PLACES - 1].peak;
  }
}

/** True and sample peak of a sound that comes piece by piece, of all channels and of each. */
export class PeakMeter {
  private readonly channels: ChannelPeak[];

  constructor(channelCount: number) {
    this.channels = Array.from({ length: channelCount }, () => new ChannelPeak());
  }

  add(channels: readonly Float32Array[]): void {
    for (const [c, samples] of channels.entries()) this.channels[c].add(samples);
  }

  /** Linear; once, when all has come. `ofEach` are those of each channel on its own. */
  finish(): { truePeak: number; samplePeak: number; ofEach: { truePeak: number; samplePeak: number }[] } {
    const tops = this.channels.map((channel) => channel.finish());
    const ofEach = this.channels.map(({ peak, samplePeak }, c) => ({
      truePeak: refinedPeak(tops[c], Math.max(peak, samplePeak)),
      samplePeak,
    }));
    return {
      truePeak: Math.max(0, ...ofEach.map((one) => one.truePeak)),
      samplePeak: Math.max(0, ...ofEach.map((one) => one.samplePeak)),
      ofEach,
    };
  }
}

/**
 * Largest magnitude between and on the samples, linear; over all channels. ITU-R BS.1770-5 annex 2: oversampled at least four times,
 * here sixteen times around what comes near the top; never under the sample peak.
 */
export function truePeak(clip: Sound | Clip): number {
  const sound = soundOf(clip);
  const meter = new PeakMeter(sound.channelCount);
  for (const { channels } of piecesOf(sound)) meter.add(channels);
  return meter.finish().truePeak;
}
