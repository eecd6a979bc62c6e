import { piecesOf, type Sound } from "../audio/sound";
import { thinnedMix } from "../kernels/filters";
import { blockProducts, innerProduct } from "../kernels/sums";
import { segmentFrames } from "./segments";
import { FIRST_BANK, FIRST_STEP, mostDecimation, secondStep } from "./thinning";

/**
 * What a first look at a whole sound tells, from one reading of it: all that lining up needs of it but the segments it then goes to. Made
 * while a file is read for the first time, so that it need not be read through again.
 */
export type Outline = {
  frames: number;
  channelCount: number;
  /** Σ left², Σ right² and Σ left · right of each block of half a segment; the last one filled up with silence. */
  blockFrames: number;
  products: Float64Array;
  /** The part of the energy that lies at the very ends, where a window has hardly begun. */
  endShare: number;
  /** (left + right) / 2 thinned to every `factor`-th sample, of sounds that are long enough for that to save anything. */
  thinnedMid: { factor: number; samples: Float32Array } | null;
};

/** Raise when anything in an outline would come out differently. */
export const OUTLINE_VERSION = 1;

/** Frames at either end that count as the very end, an eighth of a short sound. */
const END_FRAMES = 1024;
/** Shorter sounds are never thinned in two steps. */
const LONG_FRAMES = 2 ** 20;
/** A sound this many times as long as the transform that coarse signals aim at is thinned by the most there is, whatever it is held against. */
const COARSE_FRAMES = 2 ** 19;

/** An outline of a sound that comes piece by piece. */
export class OutlineMaker {
  private readonly products: Float64Array;
  private readonly firstStep: Float32Array | null;
  private readonly endFrames: number;
  private readonly blockFrames: number;
  /** Frames that have come, places thinned, and the samples from there on that a place may still want. */
  private frame = 0;
  private thinned = 0;
  private held: [left: Float32Array, right: Float32Array];
  private ends = 0;

  constructor(private readonly sound: Pick<Sound, "frames" | "channelCount" | "sampleRateHz">) {
    const { frames, sampleRateHz } = sound;
    this.blockFrames = segmentFrames(sampleRateHz) / 2;
    this.products = new Float64Array(3 * Math.ceil(frames / this.blockFrames));
    this.firstStep = frames > LONG_FRAMES ? new Float32Array(Math.ceil(frames / FIRST_STEP)) : null;
    this.endFrames = Math.min(END_FRAMES, frames >> 3);
    const before = new Float32Array(FIRST_BANK.length / 2);
    this.held = [before, before];
  }

  /** The next piece: all but the last are of whole blocks. */
  add([left, right = left]: readonly Float32Array[]): void {
    this.products.set(blockProducts(left, right, this.blockFrames), (3 * this.frame) / this.blockFrames);
    for (const channel of [left, right]) this.ends += this.energyAtEnds(channel);
    if (this.firstStep) this.thin(left, right, this.firstStep);
    this.frame += left.length;
  }

  private energyAtEnds(channel: Float32Array): number {
    const start = channel.subarray(0, Math.max(0, this.endFrames - this.frame));
    const end = channel.subarray(Math.max(0, this.sound.frames - this.endFrames - this.frame));
    return innerProduct(start, start) + innerProduct(end, end);
  }

  /** Every place whose taps are all there; at the end silence makes up for what is missing. */
  private thin(left: Float32Array, right: Float32Array, output: Float32Array): void {
    const isLast = this.frame + left.length >= this.sound.frames;
    const [a, b] = [this.held[0], left === right ? this.held[0] : this.held[1]];
    const known = a.length + left.length;
    const whole = Math.max(0, Math.floor((known - FIRST_BANK.length) / FIRST_STEP) + 1);
    const count = isLast ? output.length - this.thinned : whole;
    output.set(thinnedMix([a, left], [b, right], 1, FIRST_BANK, FIRST_STEP, count), this.thinned);
    this.thinned += count;
    // What a place may still want lies within the piece that has just come, unless that is very short.
    const used = count * FIRST_STEP;
    const restOf = (held: Float32Array, next: Float32Array) =>
      used >= held.length ? next.slice(used - held.length) : glued(held.subarray(used), next);
    const kept = restOf(a, left);
    this.held = [kept, left === right ? kept : restOf(b, right)];
  }

  /** When all has come. */
  outline(): Outline {
    const { frames, channelCount } = this.sound;
    const both = this.products.reduce((sum, v, i) => (i % 3 === 2 ? sum : sum + v), 0);
    return {
      frames,
      channelCount,
      blockFrames: this.blockFrames,
      products: this.products,
      endShare: both > 0 ? this.ends / both : 0,
      thinnedMid: this.firstStep && thinnedFurther(this.firstStep, this.sound),
    };
  }
}

function thinnedFurther(
  firstStep: Float32Array,
  { frames, sampleRateHz }: Pick<Sound, "frames" | "sampleRateHz">,
): Outline["thinnedMid"] {
  const most = mostDecimation(sampleRateHz);
  return frames > (most / 2) * COARSE_FRAMES
    ? { factor: most, samples: secondStep(firstStep, most) }
    : { factor: FIRST_STEP, samples: firstStep };
}

function glued(first: Float32Array, second: Float32Array): Float32Array {
  const both = new Float32Array(first.length + second.length);
  both.set(first);
  both.set(second, first.length);
  return both;
}

/** The outline of a whole sound. */
export function outlineOf(sound: Sound): Outline {
  const maker = new OutlineMaker(sound);
  for (const { channels } of piecesOf(sound)) maker.add(channels);
  return maker.outline();
}

const HEAD_NUMBERS = 8;

/** An outline as bytes, to be kept. */
export function outlineBytes(outline: Outline): Uint8Array<ArrayBuffer> {
  const { frames, channelCount, blockFrames, products, endShare, thinnedMid } = outline;
  const samples = thinnedMid?.samples ?? new Float32Array();
  const head = [OUTLINE_VERSION, frames, channelCount, blockFrames, endShare, products.length, samples.length];
  const bytes = new Uint8Array(8 * HEAD_NUMBERS + products.byteLength + samples.byteLength);
  new Float64Array(bytes.buffer, 0, HEAD_NUMBERS).set([...head, thinnedMid?.factor ?? 0]);
  new Float64Array(bytes.buffer, 8 * HEAD_NUMBERS, products.length).set(products);
  new Float32Array(bytes.buffer, 8 * HEAD_NUMBERS + products.byteLength, samples.length).set(samples);
  return bytes;
}

/** The outline in such bytes; null where they are of another version, or no outline at all. */
export function outlineFrom(bytes: ArrayBuffer): Outline | null {
  if (bytes.byteLength < 8 * HEAD_NUMBERS) return null;
  const [version, frames, channelCount, blockFrames, endShare, productCount, sampleCount, factor] = new Float64Array(
    bytes,
    0,
    HEAD_NUMBERS,
  );
  const isWhole = bytes.byteLength === 8 * HEAD_NUMBERS + 8 * productCount + 4 * sampleCount;
  if (version !== OUTLINE_VERSION || !isWhole) return null;
  const products = new Float64Array(bytes, 8 * HEAD_NUMBERS, productCount);
  const samples = new Float32Array(bytes, 8 * HEAD_NUMBERS + 8 * productCount, sampleCount);
  return { frames, channelCount, blockFrames, products, endShare, thinnedMid: factor > 0 ? { factor, samples } : null };
}
