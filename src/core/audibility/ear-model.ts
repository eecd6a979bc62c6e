import { dbFromPower } from "../audio/decibels";
import { exp, log10, pow } from "../audio/exact-math";
import { forwardWindowed } from "../audio/fft";
import { hannWindow } from "../audio/window";

// After the FFT-based ear model of ITU-R BS.1387, basic version. Constants are from memory, the document was not at hand; formulas are in docs/figures.md.

/** Frames of the model at 48 kHz; at other rates the power of two that lasts about as long. Half overlapped. */
const FRAME_AT_48K = 2048;
const BARK_STEP = 0.25;
const LOWEST_HZ = 80;
const HIGHEST_HZ = 18_000;
/** Where full scale is taken to be played at, unless it is set. */
export const PLAYBACK_SPL_DB = 92;
/** Excitations of different bands add up as powers of this. */
const ADDITION = 0.4;
const SHORTEST_SECONDS = 0.008;
const SECONDS_AT_100_HZ = 0.03;

/** Bark of a frequency, 7·asinh(f / 650), and back (Schroeder; as BS.1387 has it). */
export const barkOf = (hertz: number): number => {
  const x = hertz / 650;
  return (7 * log10(x + Math.sqrt(x * x + 1))) / log10(Math.E);
};
export const hertzOf = (bark: number): number => (650 * (exp(bark / 7) - exp(-bark / 7))) / 2;

/** What outer and middle ear do to a level, dB. */
export function earWeightDb(hertz: number): number {
  const f = hertz / 1000;
  return -0.6 * 3.64 * pow(f, -0.8) + 6.5 * exp(-0.6 * (f - 3.3) ** 2) - 1e-3 * pow(f, 3.6);
}

/** The ear's own noise, dB. */
export const internalNoiseDb = (hertz: number): number => 0.4 * 3.64 * pow(hertz / 1000, -0.8);

/** How far under the excitation the mask lies, dB. */
export const maskOffsetDb = (bark: number): number => (bark <= 12 ? 3 : 0.25 * bark);

/** Bands of the model at a rate. */
export type EarBands = { lowHz: Float64Array; highHz: Float64Array; centreHz: Float64Array; bark: Float64Array };

export function earBands(rateHz: number): EarBands {
  const highest = Math.min(HIGHEST_HZ, rateHz / 2);
  const [from, to] = [barkOf(LOWEST_HZ), barkOf(highest)];
  const count = Math.max(1, Math.ceil((to - from) / BARK_STEP));
  const edge = (i: number) => hertzOf(Math.min(to, from + i * BARK_STEP));
  const by = (of: (i: number) => number) => Float64Array.from({ length: count }, (_, i) => of(i));
  return {
    lowHz: by(edge),
    highHz: by((i) => edge(i + 1)),
    centreHz: by((i) => hertzOf(from + (i + 0.5) * BARK_STEP)),
    bark: by((i) => from + (i + 0.5) * BARK_STEP),
  };
}

/** Length of a frame at a rate. */
export function earFrame(rateHz: number): number {
  const wanted = (FRAME_AT_48K * rateHz) / 48_000;
  let size = 64;
  while (size * Math.SQRT2 < wanted) size *= 2;
  return size;
}

/** What a band passes on to the next one below, as powers of 0.4 are added up and as power itself: 27 dB a Bark. */
const DOWN: readonly [number, number] = [pow(10, -2.7 * BARK_STEP * ADDITION), pow(10, -2.7 * BARK_STEP)];
/** Parts under this share of a band's own are not passed on further up: −300 dB. */
const LEAST_PART = 1e-12;
/** The logarithm of what a band passes on upwards, for each dB a Bark of its slope. */
const UP_A_DB = -(Math.LN10 / 10) * BARK_STEP * ADDITION;

/** A number to a whole power, by squares. */
function wholePower(base: number, exponent: number): number {
  let [result, square] = [1, base];
  for (let n = exponent; n > 0; n >>= 1, square *= square) if (n & 1) result *= square;
  return result;
}

/** The model at a rate and playback level. */
export class Ear {
  readonly bands: EarBands;
  readonly frame: number;
  private readonly window: Float64Array;
  private readonly scale: number;
  private readonly weights: Float64Array;
  /** Which bin has which share in which band. */
  private readonly shares: { bands: Int32Array; bins: Int32Array; parts: Float64Array };
  private readonly noise: Float64Array;
  private readonly offsets: Float64Array;
  private readonly peaks: Float64Array;

  constructor(
    readonly rateHz: number,
    playbackSplDb = PLAYBACK_SPL_DB,
  ) {
    this.frame = earFrame(rateHz);
    this.bands = earBands(rateHz);
    this.window = hannWindow(this.frame);
    // A full-scale sine on a bin has a magnitude of a quarter of the frame under a Hann window.
    this.scale = pow(10, playbackSplDb / 10) / (this.frame / 4) ** 2;
    const binHz = rateHz / this.frame;
    this.weights = Float64Array.from({ length: this.frame / 2 + 1 }, (_, k) =>
      k === 0 ? 0 : pow(10, earWeightDb(k * binHz) / 10),
    );
    const { lowHz, highHz, centreHz, bark } = this.bands;
    const shares: { band: number; bin: number; share: number }[] = [];
    for (let b = 0; b < lowHz.length; b++) {
      const [first, last] = [Math.floor(lowHz[b] / binHz + 0.5), Math.ceil(highHz[b] / binHz - 0.5)];
      for (let bin = first; bin <= Math.min(last, this.frame / 2); bin++) {
        const share = Math.min(highHz[b] / binHz, bin + 0.5) - Math.max(lowHz[b] / binHz, bin - 0.5);
        if (share > 0) shares.push({ band: b, bin, share });
      }
    }
    this.shares = {
      bands: Int32Array.from(shares, (s) => s.band),
      bins: Int32Array.from(shares, (s) => s.bin),
      parts: Float64Array.from(shares, (s) => s.share),
    };
    this.peaks = new Float64Array(lowHz.length);
    this.noise = centreHz.map((hz) => pow(10, internalNoiseDb(hz) / 10));
    this.offsets = bark.map((z) => pow(10, maskOffsetDb(z) / 10));
  }

  get bandCount(): number {
    return this.bands.lowHz.length;
  }

  /** The ear's own noise by bands, dB. */
  get noiseDb(): Float64Array<ArrayBuffer> {
    return Float64Array.from(this.bands.centreHz, (hz) => internalNoiseDb(hz));
  }

  /** Powers of a frame's bins as they come past outer and middle ear, re 20 µPa, at a gain. */
  heard(signal: Float32Array, gain = 1): Float64Array {
    const spectrum = forwardWindowed(signal, this.window);
    const powers = new Float64Array(this.frame / 2 + 1);
    const scale = this.scale * gain * gain;
    for (let k = 0; k < powers.length; k++) {
      const [re, im] = [spectrum[2 * k], spectrum[2 * k + 1]];
      powers[k] = scale * this.weights[k] * (re * re + im * im);
    }
    return powers;
  }

  /** Powers of bins summed to bands. */
  banded(powers: Float64Array): Float64Array {
    const sums = new Float64Array(this.bandCount);
    const { bands, bins, parts } = this.shares;
    for (let i = 0; i < parts.length; i++) sums[bands[i]] += parts[i] * powers[bins[i]];
    return sums;
  }

  /** Excitation of a frame: the bands with the ear's noise, spread over their neighbours. */
  spread(bands: Float64Array): Float64Array {
    const count = bands.length;
    const [sum, norm] = [new Float64Array(count), new Float64Array(count)];
    this.spreadInto(
      bands.map((power, b) => power + this.noise[b]),
      sum,
    );
    if (!this.flat) {
      this.spreadInto(new Float64Array(count).fill(1), norm);
      this.flat = norm;
    }
    const flat = this.flat;
    // To the power of 1 / 0.4: two and a half.
    return sum.map((v, b) => {
      const ratio = v / flat[b];
      return ratio * ratio * Math.sqrt(ratio);
    });
  }

  private flat: Float64Array | null = null;

  /** Each band's power shared out under slopes of 27 dB a Bark below and 24 + 230/f − 0.2·L above, as powers of 0.4. */
  private spreadInto(bands: Float64Array, sum: Float64Array): void {
    const count = bands.length;
    const { centreHz } = this.bands;
    const [down, downWhole] = DOWN;
    let downSum = 0;
    let downPart = 1;
    for (let b = 0; b < count; b++) {
      // The power is kept: what is spread adds up to what there was, by geometric sums of parts of power itself.
      downSum += downPart;
      downPart *= downWhole;
      const levelDb = dbFromPower(bands[b]);
      const slope = Math.max(0, 24 + 230 / centreHz[b] - 0.2 * levelDb);
      const up = exp(slope * UP_A_DB);
      const upWhole = up * up * Math.sqrt(up);
      const above = upWhole < 1 ? (1 - wholePower(upWhole, count - b)) / (1 - upWhole) : count - b;
      const peak = pow(bands[b] / (downSum + above - 1), ADDITION);
      this.peaks[b] = peak;
      const least = peak * LEAST_PART;
      for (let i = b + 1, part = peak * up; i < count && part > least; i++, part *= up) sum[i] += part;
    }
    // Downwards all bands fall alike: what comes from above is passed on from band to band.
    let passed = 0;
    for (let b = count - 1; b >= 0; b--) {
      passed = passed * down + this.peaks[b];
      sum[b] += passed;
    }
  }

  /** Smears excitations over time, frame by frame: decays as the band's time constant says, never under what is there now. */
  smearing(): (excitation: Float64Array) => Float64Array {
    const hop = this.frame / 2 / this.rateHz;
    const decay = this.bands.centreHz.map((hz) =>
      exp(-hop / (SHORTEST_SECONDS + (100 / hz) * (SECONDS_AT_100_HZ - SHORTEST_SECONDS))),
    );
    const before = new Float64Array(this.bandCount);
    return (excitation) => {
      const output = new Float64Array(before.length);
      for (let b = 0; b < output.length; b++) {
        before[b] = decay[b] * before[b] + (1 - decay[b]) * excitation[b];
        output[b] = Math.max(before[b], excitation[b]);
      }
      return output;
    };
  }

  /** The masking threshold under a smeared excitation. */
  mask(excitation: Float64Array): Float64Array {
    return excitation.map((v, b) => v / this.offsets[b]);
  }
}
