// Filters: FIR banks, readings between samples, the weighting of loudness, bands.
import { F32, F64, pair, sumOf } from "./lanes";

/** Σ of f32 signal times f64 taps, `count` a multiple of 8; always summed in the same order. */
@inline
function dotOfSingles(signal: usize, taps: usize, count: i32): f64 {
  let a = f64x2.splat(0);
  let b = f64x2.splat(0);
  let c = f64x2.splat(0);
  let d = f64x2.splat(0);
  const end = taps + <usize>count * F64;
  while (taps < end) {
    a = f64x2.add(a, f64x2.mul(pair(signal, 0), v128.load(taps)));
    b = f64x2.add(b, f64x2.mul(pair(signal, 8), v128.load(taps, 16)));
    c = f64x2.add(c, f64x2.mul(pair(signal, 16), v128.load(taps, 32)));
    d = f64x2.add(d, f64x2.mul(pair(signal, 24), v128.load(taps, 48)));
    taps += 8 * F64;
    signal += 8 * F32;
  }
  return sumOf(f64x2.add(f64x2.add(a, b), f64x2.add(c, d)));
}

/** The same with an f64 signal: a quarter faster where the signal is read often enough to be worth widening. */
@inline
function dot(signal: usize, taps: usize, count: i32): f64 {
  let a = f64x2.splat(0);
  let b = f64x2.splat(0);
  let c = f64x2.splat(0);
  let d = f64x2.splat(0);
  const end = taps + <usize>count * F64;
  while (taps < end) {
    a = f64x2.add(a, f64x2.mul(v128.load(signal), v128.load(taps)));
    b = f64x2.add(b, f64x2.mul(v128.load(signal, 16), v128.load(taps, 16)));
    c = f64x2.add(c, f64x2.mul(v128.load(signal, 32), v128.load(taps, 32)));
    d = f64x2.add(d, f64x2.mul(v128.load(signal, 48), v128.load(taps, 48)));
    taps += 8 * F64;
    signal += 8 * F64;
  }
  return sumOf(f64x2.add(f64x2.add(a, b), f64x2.add(c, d)));
}

/**
 * `count` outputs (f32) of a polyphase filter over an f64 signal: `bank` holds `up` rows of `taps` f64; output n looks at `signal` from frame
 * ⌊(phase + n · down) / up⌋ on.
 */
export function polyphase(
  signal: usize,
  bank: usize,
  taps: i32,
  up: i32,
  down: i32,
  phase: i32,
  output: usize,
  count: i32,
): void {
  for (let n = 0; n < count; n++) {
    store<f32>(output, <f32>dot(signal, bank + <usize>phase * <usize>taps * F64, taps));
    output += F32;
    phase += down;
    const whole = phase / up;
    phase -= whole * up;
    signal += <usize>whole * F64;
  }
}

/** `count` outputs of a filter over f32, each `down` frames on: `taps` f32, a multiple of 8, all in single precision. */
export function thinBy(signal: usize, bank: usize, taps: i32, down: i32, output: usize, count: i32): void {
  const reach = <usize>taps * F32;
  const last = output + <usize>count * F32;
  for (; output < last; output += F32, signal += <usize>down * F32) {
    let a = f32x4.splat(0);
    let b = f32x4.splat(0);
    for (let at: usize = 0; at < reach; at += 32) {
      a = f32x4.add(a, f32x4.mul(v128.load(signal + at), v128.load(bank + at)));
      b = f32x4.add(b, f32x4.mul(v128.load(signal + at, 16), v128.load(bank + at, 16)));
    }
    a = f32x4.add(a, b);
    store<f32>(
      output,
      f32x4.extract_lane(a, 0) + f32x4.extract_lane(a, 1) + (f32x4.extract_lane(a, 2) + f32x4.extract_lane(a, 3)),
    );
  }
}

/**
 * `count` outputs (f32) read at `position` + n · `stride` frames from an f64 `signal`: `table` holds `phases` + 1 rows of `taps` f64,
 * taps between two rows are interpolated linearly. Every position must be one at which all taps meet memory.
 */
export function readBetween(
  signal: usize,
  table: usize,
  taps: i32,
  phases: i32,
  position: f64,
  stride: f64,
  output: usize,
  first: i32,
  count: i32,
): void {
  const row = <usize>taps * F64;
  for (let n = first; n < first + count; n++) {
    const at = position + <f64>n * stride;
    const whole = Math.floor(at);
    const place = (at - whole) * <f64>phases;
    const below = Math.floor(place);
    const from = signal + <usize>(<i32>whole) * F64;
    const taken = table + <usize>(<i32>below) * row;
    const low = dot(from, taken, taps);
    const high = dot(from, taken + row, taps);
    store<f32>(output, <f32>(low + (place - below) * (high - low)));
    output += F32;
  }
}

/**
 * K-weighted energy in each of `steps` stretches of a pair of channels, weighted and added to `energies` (f64). `ends` (i32)
 * says before which frame each stretch ends, counted from the first frame given. `sections` holds shelf b0 b1 b2 a1 a2 and
 * high-pass a1 a2 (f64); `state` 8 f64, kept from call to call, channel beside channel.
 */
export function weightedEnergies(
  left: usize,
  right: usize,
  ends: usize,
  steps: i32,
  sections: usize,
  state: usize,
  weights: usize,
  energies: usize,
): void {
  const b0 = v128.load64_splat(sections);
  const b1 = v128.load64_splat(sections, 8);
  const b2 = v128.load64_splat(sections, 16);
  const a1 = v128.load64_splat(sections, 24);
  const a2 = v128.load64_splat(sections, 32);
  const h1 = v128.load64_splat(sections, 40);
  const h2 = v128.load64_splat(sections, 48);
  const two = f64x2.splat(2);
  const weight = v128.load(weights);
  let s1 = v128.load(state);
  let s2 = v128.load(state, 16);
  let t1 = v128.load(state, 32);
  let t2 = v128.load(state, 48);
  let frame = 0;
  for (let step = 0; step < steps; step++) {
    const end = load<i32>(ends + <usize>step * 4);
    let sum = f64x2.splat(0);
    for (; frame < end; frame++) {
      const at = <usize>frame * F32;
      const x = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left + at)), 1, <f64>load<f32>(right + at));
      const u = f64x2.add(f64x2.mul(b0, x), s1);
      s1 = f64x2.add(f64x2.sub(f64x2.mul(b1, x), f64x2.mul(a1, u)), s2);
      s2 = f64x2.sub(f64x2.mul(b2, x), f64x2.mul(a2, u));
      const v = f64x2.add(u, t1);
      t1 = f64x2.sub(f64x2.sub(t2, f64x2.mul(two, u)), f64x2.mul(h1, v));
      t2 = f64x2.sub(u, f64x2.mul(h2, v));
      sum = f64x2.add(sum, f64x2.mul(v, v));
    }
    const place = energies + <usize>step * F64;
    store<f64>(place, load<f64>(place) + sumOf(f64x2.mul(sum, weight)));
  }
  v128.store(state, s1);
  v128.store(state, s2, 16);
  v128.store(state, t1, 32);
  v128.store(state, t2, 48);
}

/** Frames looked at together by `interpolatedPeak`. */
const BLOCK: i32 = 64;

/**
 * The larger of `peak` and the largest magnitude between the samples: `rows` interpolators of `taps` f64, applied at `count`
 * places from `signal` on. `worstGain` bounds what an interpolator can make of the largest sample it meets, so that a block
 * that cannot pass the peak is skipped. The largest magnitude found in each block of 64 places goes to `blockPeaks` (f64), 0 where it was
 * skipped.
 */
export function interpolatedPeak(
  signal: usize,
  count: i32,
  bank: usize,
  rows: i32,
  taps: i32,
  worstGain: f64,
  peak: f64,
  blockPeaks: usize,
): f64 {
  for (let block = 0; block < count; block += BLOCK, blockPeaks += F64) {
    store<f64>(blockPeaks, 0);
    const frames = min(BLOCK, count - block);
    const from = signal + <usize>block * F32;
    let most = f32x4.splat(0);
    const reach = <usize>(frames + taps) * F32;
    for (let at: usize = 0; at < reach; at += 16) most = f32x4.pmax(most, f32x4.abs(v128.load(from + at)));
    const local = max(
      max(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 1)),
      max(f32x4.extract_lane(most, 2), f32x4.extract_lane(most, 3)),
    );
    if (<f64>local * worstGain <= peak) continue;
    let here: f64 = 0;
    for (let row = 0; row < rows; row++) {
      const line = bank + <usize>row * <usize>taps * F64;
      for (let k = 0; k < frames; k++) {
        const value = Math.abs(dotOfSingles(from + <usize>k * F32, line, taps));
        if (value > here) here = value;
      }
    }
    store<f64>(blockPeaks, here);
    peak = max(peak, here);
  }
  return peak;
}

/**
 * Adds the energies of two signals that lie side by side (f32) in four bands, to `energies`: both of the lowest band first. Bands are split by
 * one-pole filters that follow `keeps` (three f64) of each step; `state` is what they hold of both.
 */
export function bandEnergies(signals: usize, count: i32, keeps: usize, state: usize, energies: usize): void {
  const k1 = v128.load64_splat(keeps);
  const k2 = v128.load64_splat(keeps, 8);
  const k3 = v128.load64_splat(keeps, 16);
  let low = v128.load(state);
  let lowMid = v128.load(state, 16);
  let highMid = v128.load(state, 32);
  let e0 = f64x2.splat(0);
  let e1 = e0;
  let e2 = e0;
  let e3 = e0;
  const end = signals + 2 * <usize>count * F32;
  for (; signals < end; signals += 2 * F32) {
    const x = pair(signals, 0);
    low = f64x2.add(low, f64x2.mul(k1, f64x2.sub(x, low)));
    lowMid = f64x2.add(lowMid, f64x2.mul(k2, f64x2.sub(x, lowMid)));
    highMid = f64x2.add(highMid, f64x2.mul(k3, f64x2.sub(x, highMid)));
    const second = f64x2.sub(lowMid, low);
    const third = f64x2.sub(highMid, lowMid);
    const fourth = f64x2.sub(x, highMid);
    e0 = f64x2.add(e0, f64x2.mul(low, low));
    e1 = f64x2.add(e1, f64x2.mul(second, second));
    e2 = f64x2.add(e2, f64x2.mul(third, third));
    e3 = f64x2.add(e3, f64x2.mul(fourth, fourth));
  }
  v128.store(state, low);
  v128.store(state, lowMid, 16);
  v128.store(state, highMid, 32);
  v128.store(energies, f64x2.add(v128.load(energies), e0));
  v128.store(energies, f64x2.add(v128.load(energies, 16), e1), 16);
  v128.store(energies, f64x2.add(v128.load(energies, 32), e2), 32);
  v128.store(energies, f64x2.add(v128.load(energies, 48), e3), 48);
}
