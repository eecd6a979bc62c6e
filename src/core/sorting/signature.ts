import { z } from "zod";
import { type Clip, frameCount } from "../audio/clip";
import { exp, log10, pow, tanh } from "../audio/exact-math";

/** One value every 20 ms: fine enough for onsets, small enough to compare forty files of five minutes in seconds. */
export const STEPS_PER_SECOND = 50;
/** Edges of the four bands. */
const EDGES_HZ = [200, 1000, 4000];
/** Levels further under the loudest step than this count as nothing: noise floors differ, music does not. */
const DEPTH_DB = 50;
/** What is slower than this in the course of the levels is taken out: fades, make-up and levelling. */
const SLOW_SECONDS = 0.4;
/** Set by trial, as the seconds above (docs/figures.md). Larger movements are bent down to it, so that one start after silence does not decide alone. */
const LARGEST_STEP_DB = 2;

const bandsSchema = z.array(z.instanceof(Float32Array)).length(EDGES_HZ.length + 1);

/**
 * How a sound moves: level in four bands, in dB, every 20 ms, slow changes taken out. Polarity, delay and gain do not matter to
 * it, and most processing leaves it recognisable. One array a band, all of one length: of the mid, and of the side where there is one, which
 * change places when one channel is turned upside down.
 */
export const signatureSchema = z.object({ bands: bandsSchema, sideBands: bandsSchema.nullable() });
export type Signature = z.infer<typeof signatureSchema>;

/** Raise when signatures come out differently. */
export const SIGNATURE_VERSION = 2;

/** Rate that signals are averaged down to at the least: what lies above half of it does not tell sounds apart. */
const LEAST_RATE_HZ = 20_000;

/** left + sign · right, summed over `factor` frames each. */
function mixedDown(left: Float32Array, right: Float32Array, sign: 1 | -1, factor: number): Float32Array {
  const signal = new Float32Array(Math.floor(left.length / factor));
  for (let n = 0, i = 0; n < signal.length; n++) {
    let sum = 0;
    for (let k = 0; k < factor; k++, i++) sum += left[i] + sign * right[i];
    signal[n] = sum;
  }
  return signal;
}

/** Energy of each band and step; bands split by one-pole filters, which is enough to tell sounds apart. */
function stepEnergies(signal: Float32Array, sampleRateHz: number): Float64Array[] {
  const stepFrames = sampleRateHz / STEPS_PER_SECOND;
  const steps = Math.max(1, Math.floor(signal.length / stepFrames));
  const [k1, k2, k3] = EDGES_HZ.map((hertz) => 1 - exp((-2 * Math.PI * hertz) / sampleRateHz));
  const bands = Array.from({ length: EDGES_HZ.length + 1 }, () => new Float64Array(steps));
  let low = 0;
  let lowMid = 0;
  let highMid = 0;
  for (let s = 0; s < steps; s++) {
    const end = Math.min(signal.length, Math.floor((s + 1) * stepFrames));
    let e0 = 0;
    let e1 = 0;
    let e2 = 0;
    let e3 = 0;
    for (let i = Math.floor(s * stepFrames); i < end; i++) {
      const x = signal[i];
      low += k1 * (x - low);
      lowMid += k2 * (x - lowMid);
      highMid += k3 * (x - highMid);
      e0 += low * low;
      e1 += (lowMid - low) * (lowMid - low);
      e2 += (highMid - lowMid) * (highMid - lowMid);
      e3 += (x - highMid) * (x - highMid);
    }
    bands[0][s] = e0;
    bands[1][s] = e1;
    bands[2][s] = e2;
    bands[3][s] = e3;
  }
  return bands;
}

/** Levels in dB over the floor, minus their own average over 0.4 s. */
function movement(energies: Float64Array): Float32Array<ArrayBuffer> {
  const loudest = energies.reduce((most, e) => Math.max(most, e), 0);
  const floor = loudest * pow(10, -DEPTH_DB / 10);
  const levels = Float64Array.from(energies, (e) => (loudest > 0 ? 10 * log10(Math.max(e, floor) / floor) : 0));
  const sums = new Float64Array(levels.length + 1);
  for (let i = 0; i < levels.length; i++) sums[i + 1] = sums[i] + levels[i];
  const reach = Math.round((SLOW_SECONDS * STEPS_PER_SECOND) / 2);
  return Float32Array.from(levels, (level, i) => {
    const from = Math.max(0, i - reach);
    const to = Math.min(levels.length, i + reach + 1);
    return LARGEST_STEP_DB * tanh((level - (sums[to] - sums[from]) / (to - from)) / LARGEST_STEP_DB);
  });
}

/** The signature of a clip at any rate from 8 kHz. */
export function signatureOf(clip: Clip): Signature {
  if (frameCount(clip) === 0) throw new RangeError("an empty clip has no signature");
  const factor = Math.max(1, Math.floor(clip.sampleRateHz / LEAST_RATE_HZ));
  const [left, right = left] = clip.channels;
  const bandsOf = (sign: 1 | -1) =>
    stepEnergies(mixedDown(left, right, sign, factor), clip.sampleRateHz / factor).map(movement);
  return { bands: bandsOf(1), sideBands: left === right ? null : bandsOf(-1) };
}
