import { z } from "zod";
import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { type FrameRange, piecesOf, type Sound } from "../audio/sound";

/** Raise when a shape would come out differently. */
export const SHAPE_VERSION = 1;

/** Bins of the histogram: so wide, from full scale down; what is louder is in the first, what is softer in none. */
export const BIN_DB = 0.5;
export const BINS = 192;
/** Samples within this of the peak stand at it: they make a flat run (0.01 dB). */
const AT_PEAK = 0.998_85;
/** Within 1 dB of the peak. */
const NEAR_PEAK = 0.891_25;
/** Runs shorter than this many samples are what any wave has on its top. */
const LEAST_RUN = 3;
/** Amplitudes are counted by the upper half of their 32 bits: steps of a 128th of an octave. */
const SLOT_BITS = 16;

const figure = z.number().nullable();

/** How the samples of a region lie: peaks up and down, level, and how flat it was made. */
export const shapeSchema = z.object({
  /** Highest sample upwards and downwards, dBFS; null where it never goes there. */
  upDbfs: figure,
  downDbfs: figure,
  /** Mean square, dBFS. */
  rmsDbfs: figure,
  crestDb: figure,
  /** Share of all samples in each bin of half a decibel, from 0 dBFS down. */
  shares: z.instanceof(Float64Array),
  /** Share of all samples within 1 dB of the peak. */
  nearPeak: z.number(),
  /** Longest run of samples that stand at the peak, and how many runs of three or more there are. */
  longestRun: z.number(),
  runs: z.number(),
});
export type Shape = z.infer<typeof shapeSchema>;

const db = (amplitude: number): number | null => (amplitude > 0 ? dbFromAmplitude(amplitude) : null);

/** Reads a region twice: once for its peak, once for what stands at it. */
export function shapeOf(sound: Sound, region: FrameRange): Shape {
  const slots = new Float64Array(1 << (32 - SLOT_BITS));
  let [up, down, energy, count] = [0, 0, 0, 0];
  for (const { channels } of piecesOf(sound, region)) {
    for (const channel of channels) {
      const words = new Uint32Array(channel.buffer, channel.byteOffset, channel.length);
      for (let i = 0; i < channel.length; i++) {
        const v = channel[i];
        if (v > up) up = v;
        else if (v < down) down = v;
        energy += v * v;
        slots[(words[i] & 0x7fff_ffff) >>> SLOT_BITS]++;
      }
      count += channel.length;
    }
  }
  const peak = Math.max(up, -down);
  const [nearPeak, longestRun, runs] = peak > 0 ? atPeak(sound, region, peak) : [0, 0, 0];
  const rms = count > 0 ? energy / count : 0;
  return {
    upDbfs: db(up),
    downDbfs: db(-down),
    rmsDbfs: rms > 0 ? dbFromPower(rms) : null,
    crestDb: rms > 0 ? dbFromPower((peak * peak) / rms) : null,
    shares: sharesOf(slots, count),
    nearPeak: count > 0 ? nearPeak / count : 0,
    longestRun,
    runs,
  };
}

function sharesOf(slots: Float64Array, count: number): Float64Array<ArrayBuffer> {
  const shares = new Float64Array(BINS);
  const value = new Uint32Array(1);
  const asSingle = new Float32Array(value.buffer);
  for (const [slot, samples] of slots.entries()) {
    if (samples === 0) continue;
    // The middle of the slot stands for all of it.
    value[0] = (slot << SLOT_BITS) | (1 << (SLOT_BITS - 1));
    const level = slot === 0 ? Number.NEGATIVE_INFINITY : dbFromAmplitude(asSingle[0]);
    const bin = Math.max(0, Math.floor(-level / BIN_DB));
    if (bin < BINS) shares[bin] += samples / count;
  }
  return shares;
}

function atPeak(sound: Sound, region: FrameRange, peak: number): [near: number, longest: number, runs: number] {
  let [near, longest, runs] = [0, 0, 0];
  const running = new Float64Array(sound.channelCount);
  const side = new Int8Array(sound.channelCount);
  for (const { channels } of piecesOf(sound, region)) {
    for (const [c, channel] of channels.entries()) {
      let [run, sign] = [running[c], side[c]];
      for (let i = 0; i < channel.length; i++) {
        const v = channel[i];
        const magnitude = Math.abs(v);
        if (magnitude >= NEAR_PEAK * peak) near++;
        const now = magnitude >= AT_PEAK * peak ? Math.sign(v) : 0;
        run = now !== 0 && now === sign ? run + 1 : now === 0 ? 0 : 1;
        sign = now;
        if (run === LEAST_RUN) runs++;
        if (run > longest) longest = run;
      }
      running[c] = run;
      side[c] = sign;
    }
  }
  return [near, longest, runs];
}
