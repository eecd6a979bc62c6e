import { addCross, type CrossSums, crossSums } from "../audio/cross-spectra";
import { dbFromPower } from "../audio/decibels";
import { pow } from "../audio/exact-math";
import { powerOfTwoAtLeast, windowedSpectrum } from "../audio/fft";
import { hannWindow } from "../audio/window";
import { bandCentres } from "../spectrum/bands";
import type { PairSignals } from "./pair-signals";

/** Segments at 48 kHz, and up to which frequency each is read: long where bands lie close, short where there are many. */
const RESOLUTIONS = [
  { points: 65_536, upToHz: 250 },
  { points: 16_384, upToHz: 2000 },
  { points: 4096, upToHz: Number.POSITIVE_INFINITY },
];
const RATE_HZ = 48_000;
const PER_OCTAVE = 24;
const LOWEST_HZ = 18;
const HIGHEST_HZ = 20_500;
/** Of the rate: above it converters and oversamplers have their edge. */
const HIGHEST_PART = 0.47;

/** A filter between two signals by Welch's method (1967), at frequencies 24 to the octave. */
export type PairTransfer = {
  hertz: number[];
  gainDb: Float64Array;
  /** Standard error of each gain, dB: from coherence and the number of segments and bins (Bendat and Piersol). */
  errorDb: Float64Array;
  /** Power of the input at each, relative to the loudest. */
  inputShare: Float64Array;
  /** Energy of the target that no filter explains over all of it, at the middle resolution: an estimate. */
  incoherentShare: number;
};

function sumsOver(pair: PairSignals, x: Float64Array, y: Float64Array, points: number, reach: number): CrossSums {
  const window = hannWindow(points);
  const sums = crossSums(points / 2 + 1);
  for (const { from, frames } of pair.stretches) {
    const [first, end] = [from - reach, from + frames + reach];
    for (let at = first; at + points <= end; at += points / 2) {
      addCross(sums, windowedSpectrum(x, at, window), windowedSpectrum(y, at, window));
      sums.segments++;
    }
  }
  return sums;
}

/** Transfers that were read, by the signals they lead from: signals of a pair are not written into. */
const known = new WeakMap<Float64Array, { y: Float64Array; judged: Float64Array; transfer: PairTransfer }>();

/** The filter that leads from one signal of a pair to another. */
export function pairTransfer(pair: PairSignals, x: Float64Array, y: Float64Array): PairTransfer {
  const found = known.get(x);
  if (found?.y === y && found.judged === pair.judged) return found.transfer;
  const transfer = readTransfer(pair, x, y);
  known.set(x, { y, judged: pair.judged, transfer });
  return transfer;
}

function readTransfer(pair: PairSignals, x: Float64Array, y: Float64Array): PairTransfer {
  const rateHz = pair.sampleRateHz;
  const hertz = bandCentres(PER_OCTAVE, LOWEST_HZ, Math.min(HIGHEST_HZ, HIGHEST_PART * rateHz));
  const room = pair.stretches[0].frames + 2 * pair.stretches[0].from;
  const read = RESOLUTIONS.map(({ points, upToHz }) => {
    let size = powerOfTwoAtLeast((points * rateHz) / RATE_HZ / Math.SQRT2);
    while (size > 256 && size > room / 2) size /= 2;
    return { upToHz, points: size, sums: sumsOver(pair, x, y, size, pair.stretches[0].from) };
  });
  const half = pow(2, 0.5 / PER_OCTAVE);
  const gainDb = new Float64Array(hertz.length);
  const errorDb = new Float64Array(hertz.length);
  const inputShare = new Float64Array(hertz.length);
  for (const [i, hz] of hertz.entries()) {
    const { sums, points } = read.find(({ upToHz }) => hz <= upToHz) ?? read[read.length - 1];
    const binHz = rateHz / points;
    const first = Math.max(1, Math.ceil(hz / half / binHz));
    const last = Math.min(sums.xx.length - 1, Math.max(first, Math.floor((hz * half) / binHz)));
    let [input, target, coherent] = [0, 0, 0];
    for (let k = Math.min(first, last); k <= last; k++) {
      input += sums.xx[k];
      target += sums.yy[k];
      if (sums.xx[k] > 0) coherent += (sums.re[k] ** 2 + sums.im[k] ** 2) / sums.xx[k];
    }
    const bins = last - Math.min(first, last) + 1;
    // Half overlapped Hann segments count for about nine tenths of independent ones each; one of them is spent on each bin's own gain.
    const count = Math.max(1, 0.9 * sums.segments);
    const share = target > 0 ? Math.min(1, coherent / target) : 0;
    const free = Math.max(0, (share - 1 / count) / (1 - 1 / Math.max(1.5, count)));
    gainDb[i] = input > 0 && free > 0 ? dbFromPower((free * target) / input) : Number.NaN;
    errorDb[i] =
      free > 0 ? 8.686 * Math.sqrt(Math.max(1e-12, 1 - free) / (2 * free * count * bins)) : Number.POSITIVE_INFINITY;
    inputShare[i] = input / sums.segments / points;
  }
  const loudest = inputShare.reduce((most, v) => Math.max(most, v), 1e-300);
  const coarse = read[1].sums;
  let [all, rest] = [0, 0];
  for (let k = 1; k < coarse.xx.length; k++) {
    all += coarse.yy[k];
    rest += Math.max(0, coarse.yy[k] - (coarse.xx[k] > 0 ? (coarse.re[k] ** 2 + coarse.im[k] ** 2) / coarse.xx[k] : 0));
  }
  return {
    hertz,
    gainDb,
    errorDb,
    inputShare: inputShare.map((v) => v / loudest),
    incoherentShare: all > 0 ? rest / all : 1,
  };
}

/** Energies of two signals in what goes together, Σ γ² Sxx and Σ γ² Syy over short segments. */
export function coherentEnergies(pair: PairSignals, x: Float64Array, y: Float64Array): [input: number, output: number] {
  // Nothing around the stretches: one of the two may lack it.
  const room = pair.stretches[0].frames;
  let size = powerOfTwoAtLeast((RESOLUTIONS[2].points * pair.sampleRateHz) / RATE_HZ / Math.SQRT2);
  while (size > 64 && size > room / 4) size /= 2;
  const { xx, yy, re, im } = sumsOver(pair, x, y, size, 0);
  let [input, output] = [0, 0];
  for (let k = 1; k < xx.length; k++) {
    const both = xx[k] * yy[k];
    const coherence = both > 0 ? (re[k] ** 2 + im[k] ** 2) / both : 0;
    input += coherence * xx[k];
    output += coherence * yy[k];
  }
  return [input, output];
}
