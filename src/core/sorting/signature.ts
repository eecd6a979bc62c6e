import { z } from "zod";
import type { Clip } from "../audio/clip";
import { exp, log10, pow, tanh } from "../audio/exact-math";
import { piecesOf, type Sound, soundOf } from "../audio/sound";
import { midAndSideBandEnergies } from "../kernels/sums";

/** One value every 20 ms: fine enough for transients, small enough to compare forty files of five minutes in seconds. */
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
 * change places when one channel is turned inverted.
 */
export const signatureSchema = z.object({ bands: bandsSchema, sideBands: bandsSchema.nullable() });
export type Signature = z.infer<typeof signatureSchema>;

/** Raise when signatures come out differently. */
export const SIGNATURE_VERSION = 2;

/** Rate that signals are averaged down to at the least: what lies above half of it does not tell sounds apart. */
const LEAST_RATE_HZ = 20_000;

/** Energy in each band and step of mid and side as they come; bands split by one-pole filters, which is enough to tell sounds apart. */
class BandEnergies {
  readonly mid: Float64Array[];
  readonly side: Float64Array[];
  private readonly factor: number;
  private readonly steps: number;
  private readonly stepFrames: number;
  private readonly thinnedFrames: number;
  private readonly keeps: number[];
  private step = 0;
  private frame = 0;
  private readonly state = new Float64Array(2 * EDGES_HZ.length);
  /** Frames of the last piece, left and right, that wait for others to be summed with. */
  private over: Float32Array[] = [new Float32Array(), new Float32Array()];

  constructor({ frames, sampleRateHz }: Pick<Sound, "frames" | "sampleRateHz">) {
    this.factor = Math.max(1, Math.floor(sampleRateHz / LEAST_RATE_HZ));
    const rateHz = sampleRateHz / this.factor;
    this.thinnedFrames = Math.floor(frames / this.factor);
    this.stepFrames = rateHz / STEPS_PER_SECOND;
    this.steps = Math.max(1, Math.floor(this.thinnedFrames / this.stepFrames));
    this.keeps = EDGES_HZ.map((hertz) => 1 - exp((-2 * Math.PI * hertz) / rateHz));
    const bands = () => Array.from({ length: EDGES_HZ.length + 1 }, () => new Float64Array(this.steps));
    [this.mid, this.side] = [bands(), bands()];
  }

  add(left: Float32Array, right: Float32Array): void {
    const [a, b] = [left, right].map((samples, side) => joined(this.over[side], samples));
    const thinnedFrames = Math.floor(a.length / this.factor);
    const start = this.frame;
    const first = this.step;
    const ends: number[] = [];
    while (this.step < this.steps && (ends.at(-1) ?? 0) < thinnedFrames) {
      const stepEnd = Math.min(this.thinnedFrames, Math.floor((this.step + 1) * this.stepFrames)) - start;
      ends.push(Math.min(thinnedFrames, stepEnd));
      if (stepEnd > thinnedFrames) break;
      this.step++;
    }
    const isMono = left === right;
    const energies = midAndSideBandEnergies(a, isMono ? a : b, this.factor, ends, this.keeps, this.state);
    for (const [i] of ends.entries()) {
      for (const [n, band] of this.mid.entries()) band[first + i] += energies[8 * i + 2 * n];
      for (const [n, band] of this.side.entries()) band[first + i] += energies[8 * i + 2 * n + 1];
    }
    this.frame = start + thinnedFrames;
    const used = thinnedFrames * this.factor;
    this.over = [a.slice(used), b.slice(used)];
  }
}

function joined(first: Float32Array, second: Float32Array): Float32Array {
  if (first.length === 0) return second;
  const both = new Float32Array(first.length + second.length);
  both.set(first);
  both.set(second, first.length);
  return both;
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

/** The signature of a sound that comes piece by piece, at any rate from 8 kHz. */
export class SignatureMaker {
  private readonly energies: BandEnergies;

  constructor(private readonly sound: Pick<Sound, "frames" | "sampleRateHz" | "channelCount">) {
    if (sound.frames === 0) throw new RangeError("an empty sound has no signature");
    this.energies = new BandEnergies(sound);
  }

  add([left, right = left]: readonly Float32Array[]): void {
    this.energies.add(left, right);
  }

  /** When all has come. */
  signature(): Signature {
    const { mid, side } = this.energies;
    return { bands: mid.map(movement), sideBands: this.sound.channelCount > 1 ? side.map(movement) : null };
  }
}

/** The signature of a whole sound. */
export function signatureOf(clip: Sound | Clip): Signature {
  const sound = soundOf(clip);
  const maker = new SignatureMaker(sound);
  for (const { channels } of piecesOf(sound)) maker.add(channels);
  return maker.signature();
}
