import { cos, log10, sin } from "./exact-math";
import { type ChannelWork, eachInOrder } from "./in-order";
import type { Sound } from "./sound";

/** A second-order section, a0 normalised to 1: y = b0·x + b1·x₁ + b2·x₂ − a1·y₁ − a2·y₂. */
export type Biquad = { b0: number; b1: number; b2: number; a1: number; a2: number };

/** A signal through a biquad in place, in 64 bits: from rest, or on from what a memory of two holds. */
export function filterInPlace(
  signal: Float32Array | Float64Array,
  { b0, b1, b2, a1, a2 }: Biquad,
  memory: Float64Array = new Float64Array(2),
): void {
  // Transposed direct form II keeps round-off low with the poles near z = 1 that low shelves need.
  let [s1, s2] = memory;
  for (let i = 0; i < signal.length; i++) {
    const x = signal[i];
    const y = b0 * x + s1;
    s1 = b1 * x - a1 * y + s2;
    s2 = b2 * x - a2 * y;
    signal[i] = y;
  }
  memory.set([s1, s2]);
}

/** A signal through biquads in a row, in place, from rest: two at a time, so that one works while the other waits for its own past. */
export function filterRow(signal: Float64Array, row: readonly Biquad[]): void {
  for (let i = 0; i + 1 < row.length; i += 2) filterTwice(signal, row[i], row[i + 1]);
  if (row.length % 2 === 1) filterInPlace(signal, row[row.length - 1]);
}

function filterTwice(signal: Float64Array, first: Biquad, second: Biquad): void {
  const { b0, b1, b2, a1, a2 } = first;
  const { b0: d0, b1: d1, b2: d2, a1: c1, a2: c2 } = second;
  let s1 = 0;
  let s2 = 0;
  let t1 = 0;
  let t2 = 0;
  for (let i = 0; i < signal.length; i++) {
    const x = signal[i];
    const y = b0 * x + s1;
    s1 = b1 * x - a1 * y + s2;
    s2 = b2 * x - a2 * y;
    const z = d0 * y + t1;
    t1 = d1 * y - c1 * z + t2;
    t2 = d2 * y - c2 * z;
    signal[i] = z;
  }
}

/** A biquad with its memory, from rest: filters one stretch after the other in place. */
function runningBiquad(filter: Biquad): ChannelWork {
  const memory = new Float64Array(2);
  return (channel) => {
    filterInPlace(channel, filter, memory);
    return channel;
  };
}

/** Magnitude in dB of a biquad at `frequencyHz`, at `sampleRateHz`. */
export function biquadMagnitudeDb(filter: Biquad, frequencyHz: number, sampleRateHz: number): number {
  const w = (2 * Math.PI * frequencyHz) / sampleRateHz;
  const power = (c0: number, c1: number, c2: number) => {
    const re = c0 + c1 * cos(w) + c2 * cos(2 * w);
    const im = c1 * sin(w) + c2 * sin(2 * w);
    return re * re + im * im;
  };
  return 10 * log10(power(filter.b0, filter.b1, filter.b2) / power(1, filter.a1, filter.a2));
}

/** A sound through one filter after the other, each channel from rest. */
export const throughBiquads = (sound: Sound, filters: readonly Biquad[]): Sound =>
  eachInOrder(sound, () => {
    const running = filters.map(runningBiquad);
    return (channel) => running.reduce((signal, filter) => filter(signal), channel);
  });
