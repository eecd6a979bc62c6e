import { dbFromPower } from "../audio/decibels";
import { exp, log10, pow } from "../audio/exact-math";
import { whileTransformed } from "../audio/fft";
import { hannWindow } from "../audio/window";
import { doubles, keptAt, kernels, memoryFor } from "../kernels/kernels";

// After the FFT-based ear model of ITU-R BS.1387, basic version. Constants are from memory, the document was not at hand; formulas are in docs/figures.md.

/** Frames of the model at 48 kHz; at other rates the power of two that lasts about as long. Half overlapped. */
const FRAME_AT_48K = 2048;
const BARK_STEP = 0.25;
/** BS.1387 begins at 80 Hz; its scale is continued down to where hearing begins. */
const LOWEST_HZ = 20;
const HIGHEST_HZ = 18_000;
/** Where full scale is taken to be played at, unless it is set. */
export const PLAYBACK_SPL_DB = 92;
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

/** What of the model hangs on the rate alone; it stays in the kernels' memory. */
type Tables = {
  bands: EarBands;
  window: Float64Array;
  /** By bins. */
  weights: Float64Array;
  /** Of each band its first bin and how many it has, and what of each of these is in it. */
  edges: Float64Array;
  parts: Float64Array;
  /** Of each band's slope upwards, dB a Bark, what does not hang on its level. */
  slopes: Float64Array;
};

const known = new Map<number, Tables>();

function tablesAt(rateHz: number): Tables {
  const before = known.get(rateHz);
  if (before) return before;
  const frame = earFrame(rateHz);
  const bands = earBands(rateHz);
  const binHz = rateHz / frame;
  const [edges, parts]: [number[], number[]] = [[], []];
  for (const [b, low] of bands.lowHz.entries()) {
    const [from, to] = [low / binHz, bands.highHz[b] / binHz];
    const [first, last] = [Math.floor(from + 0.5), Math.min(frame / 2, Math.ceil(to - 0.5))];
    edges.push(first, Math.max(0, last - first + 1));
    for (let bin = first; bin <= last; bin++)
      parts.push(Math.max(0, Math.min(to, bin + 0.5) - Math.max(from, bin - 0.5)));
  }
  const tables: Tables = {
    bands,
    window: hannWindow(frame),
    weights: Float64Array.from({ length: frame / 2 + 1 }, (_, k) =>
      k === 0 ? 0 : pow(10, earWeightDb(k * binHz) / 10),
    ),
    edges: Float64Array.from(edges),
    parts: Float64Array.from(parts),
    slopes: bands.centreHz.map((hz) => 24 + 230 / hz),
  };
  known.set(rateHz, tables);
  return tables;
}

/** The model at a rate and playback level. */
export class Ear {
  readonly bands: EarBands;
  readonly frame: number;
  /** The mask lies under the excitation by these ratios of power. */
  readonly offsets: Float64Array;
  private readonly tables: Tables;
  private readonly scale: number;
  private readonly noise: Float64Array;
  /** What all bands alike are spread to. */
  private readonly flat: Float64Array;

  constructor(
    readonly rateHz: number,
    playbackSplDb = PLAYBACK_SPL_DB,
  ) {
    this.frame = earFrame(rateHz);
    this.tables = tablesAt(rateHz);
    this.bands = this.tables.bands;
    // A full-scale sine on a bin has a magnitude of a quarter of the frame under a Hann window.
    this.scale = pow(10, playbackSplDb / 10) / (this.frame / 4) ** 2;
    this.noise = this.bands.centreHz.map((hz) => pow(10, internalNoiseDb(hz) / 10));
    this.offsets = this.bands.bark.map((z) => pow(10, maskOffsetDb(z) / 10));
    this.flat = new Float64Array(this.bandCount).fill(1);
    this.spreadOver(this.flat);
  }

  get bandCount(): number {
    return this.bands.lowHz.length;
  }

  /** How far a power of bins at a frequency stands over the ear's own noise, dB. */
  heardLevelDb(power: number, hertz: number): number {
    return dbFromPower(power * this.scale + 1e-300) + earWeightDb(hertz) - internalNoiseDb(hertz);
  }

  /** The ear's own noise by bands, dB. */
  get noiseDb(): Float64Array<ArrayBuffer> {
    return Float64Array.from(this.bands.centreHz, (hz) => internalNoiseDb(hz));
  }

  /**
   * Powers by bands of a frame of each signal as it comes past outer and middle ear, re 20 µPa, at its gain. Of two signals there comes a third:
   * the power of what their magnitudes differ by.
   */
  bandPowers(signals: readonly Float32Array[], gains: readonly number[]): Float64Array[] {
    const { tables, bandCount } = this;
    const [weightsAt, edgesAt, partsAt] = [tables.weights, tables.edges, tables.parts].map(keptAt);
    const bins = this.frame / 2 + 1;
    // Rounded up to two bins.
    const lengths = 8 * (bins + 1);
    const results: Float64Array[] = [];
    whileTransformed(signals, tables.window, 0, 1, 3 * lengths + 8 * bandCount, (spectraAt, resultAt) => {
      const powersAt = [resultAt, resultAt + lengths, resultAt + 2 * lengths];
      const sumsAt = resultAt + 3 * lengths;
      for (const [i, at] of spectraAt.entries())
        kernels.weightedPowers(at, weightsAt, this.scale * gains[i] * gains[i], bins, powersAt[i]);
      if (signals.length === 2) kernels.powersApart(powersAt[0], powersAt[1], bins, powersAt[2]);
      for (let i = 0; i < (signals.length === 2 ? 3 : signals.length); i++) {
        kernels.bandSums(powersAt[i], edgesAt, partsAt, bandCount, sumsAt);
        results.push(doubles(sumsAt, bandCount).slice());
      }
    });
    return results;
  }

  /** Excitation of a frame: the bands with the ear's noise, spread over their neighbours. */
  spread(bands: Float64Array): Float64Array {
    const { bandCount, noise, flat } = this;
    const excitation = new Float64Array(bandCount);
    for (let b = 0; b < bandCount; b++) excitation[b] = bands[b] + noise[b];
    this.spreadOver(excitation);
    for (let b = 0; b < bandCount; b++) {
      // To the power of 1 / 0.4: two and a half.
      const ratio = excitation[b] / flat[b];
      excitation[b] = ratio * ratio * Math.sqrt(ratio);
    }
    return excitation;
  }

  /** Each band's power shared out under slopes of 27 dB a Bark below and 24 + 230/f − 0.2·L above, as powers of 0.4, in place. */
  private spreadOver(bands: Float64Array): void {
    const count = this.bandCount;
    const slopesAt = keptAt(this.tables.slopes);
    const [powersAt, peaksAt, sumsAt] = memoryFor(8 * count, 8 * count, 8 * (count + 1));
    doubles(powersAt, count).set(bands);
    kernels.spreadBands(powersAt, slopesAt, count, BARK_STEP, peaksAt, sumsAt);
    bands.set(doubles(sumsAt, count));
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
}
