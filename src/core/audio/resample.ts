import { filterPolyphase, polyphaseInput } from "../kernels/filters";
import type { Clip } from "./clip";
import { sin } from "./exact-math";
import { asRead, clipOf, type Sound, soundOf } from "./sound";
import { kaiserAt, kaiserBeta } from "./window";

/** How sharp the anti-alias filter is. Bands are given in parts of the lower of the two rates. */
export type ResampleQuality = { passBandEdge: number; stopBandEdge: number; attenuationDb: number };

/** Flat to 0.45 of the lower rate, images and aliases 125 dB down from 0.5 on. */
export const EXACT_QUALITY: ResampleQuality = { passBandEdge: 0.45, stopBandEdge: 0.5, attenuationDb: 125 };

/** For oversampling inside a processor: shorter, the transition band may straddle half the rate. */
export const OVERSAMPLING_QUALITY: ResampleQuality = { passBandEdge: 0.42, stopBandEdge: 0.58, attenuationDb: 90 };

function greatestCommonDivisor(a: number, b: number): number {
  return b === 0 ? a : greatestCommonDivisor(b, a % b);
}

type Bank = { bank: Float64Array; taps: number; reach: number };

/** Samples of the target rate at either end that a conversion cannot know, since its filter looks beyond the file. */
export function unknownEdgeFrames(sourceRateHz: number, targetRateHz: number): number {
  if (sourceRateHz === targetRateHz) return 0;
  const lower = Math.min(1, targetRateHz / sourceRateHz);
  return Math.ceil((reachOf(lower, EXACT_QUALITY) * targetRateHz) / sourceRateHz);
}

/** Kaiser's length estimate, N = (A − 7.95) / (2.285 · Δω), Δω in radians a sample, as input samples to each side. */
function reachOf(lower: number, quality: ResampleQuality): number {
  const transition = (quality.stopBandEdge - quality.passBandEdge) * lower;
  const length = (quality.attenuationDb - 7.95) / (2.285 * 2 * Math.PI * transition);
  return 4 * Math.ceil(length / 8);
}

/** A bank takes longer to make than a second of sound to convert, and a program meets a handful of ratios. */
const banks = new Map<string, Bank>();

/**
 * The polyphase bank: `up` phases of one Kaiser-windowed sinc, each normalised to unity gain at 0 Hz.
 * `reach` is how many input samples the filter looks to each side.
 */
function polyphaseBank(up: number, down: number, quality: ResampleQuality): Bank {
  const key = [up, down, ...Object.values(quality)].join();
  const kept = banks.get(key);
  if (kept) return kept;
  const made = makeBank(up, down, quality);
  banks.set(key, made);
  return made;
}

function makeBank(up: number, down: number, quality: ResampleQuality): Bank {
  const lower = Math.min(1, up / down);
  const cutoff = ((quality.passBandEdge + quality.stopBandEdge) / 2) * lower;
  const reach = reachOf(lower, quality);
  const taps = 2 * reach;
  const beta = kaiserBeta(quality.attenuationDb);
  const bank = new Float64Array(up * taps);
  for (let phase = 0; phase < up; phase++) {
    const fraction = phase / up;
    let sum = 0;
    for (let k = 0; k < taps; k++) {
      const distance = k - (reach - 1) - fraction;
      const angle = 2 * Math.PI * cutoff * distance;
      const sinc = Math.abs(angle) < 1e-9 ? 1 : sin(angle) / angle;
      const tap = 2 * cutoff * sinc * kaiserAt(distance / reach, beta);
      bank[phase * taps + k] = tap;
      sum += tap;
    }
    for (let k = 0; k < taps; k++) bank[phase * taps + k] /= sum;
  }
  return { bank, taps, reach };
}

/** How many outputs each so many inputs make. */
function ratioOf(sourceRateHz: number, targetRateHz: number) {
  const divisor = greatestCommonDivisor(sourceRateHz, targetRateHz);
  return { up: targetRateHz / divisor, down: sourceRateHz / divisor };
}

/**
 * Converts a clip to `targetRateHz` by a polyphase windowed sinc: linear phase, no delay, first sample on first sample.
 * Rates are whole numbers of hertz. The same rate returns the clip untouched.
 */
export function resample(clip: Clip, targetRateHz: number, quality: ResampleQuality = EXACT_QUALITY): Clip {
  return clip.sampleRateHz === targetRateHz ? clip : clipOf(atRate(soundOf(clip), targetRateHz, quality));
}

/** The same of a sound, as it is read. */
export function atRate(source: Sound, targetRateHz: number, quality: ResampleQuality = EXACT_QUALITY): Sound {
  if (source.sampleRateHz === targetRateHz) return source;
  const { up, down } = ratioOf(source.sampleRateHz, targetRateHz);
  const { bank, taps, reach } = polyphaseBank(up, down, quality);
  const filter = { bank, taps, lead: reach - 1, up, down };
  const frames = Math.ceil((source.frames * up) / down);
  const readInside = (first: number, count: number) => {
    const { start, end } = polyphaseInput(filter, { first, count });
    const signals = source.read(start, end - start);
    return signals.map((signal) => filterPolyphase(signal, filter, { first, count, signalStart: start }));
  };
  return asRead({ ...source, sampleRateHz: targetRateHz, frames }, readInside);
}
