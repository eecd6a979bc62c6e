// Sums, extremes and mixtures of signals, and samples out of bytes.
import { F32, pair, sumOf } from "./lanes";

/** One step of a sample of 16 and of 24 bits, full scale at 1. */
const UNIT_16: f32 = 1.0 / 32768.0;
const UNIT_24: f32 = 1.0 / 8388608.0;

/** left ← (left + `sign` · right) / 2 over `count` singles, a multiple of 4. */
export function mix(left: usize, right: usize, sign: f32, count: i32): void {
  const half = f32x4.splat(0.5);
  const other = f32x4.splat(0.5 * sign);
  const end = left + <usize>count * F32;
  for (; left < end; left += 16, right += 16) {
    v128.store(left, f32x4.add(f32x4.mul(half, v128.load(left)), f32x4.mul(other, v128.load(right))));
  }
}

/** Largest magnitude of `count` singles. */
export function largestMagnitude(signal: usize, count: i32): f64 {
  const end = signal + <usize>count * F32;
  const whole = signal + <usize>(count & ~3) * F32;
  let most = f32x4.splat(0);
  for (; signal < whole; signal += 16) most = f32x4.pmax(most, f32x4.abs(v128.load(signal)));
  let peak = max(
    max(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 1)),
    max(f32x4.extract_lane(most, 2), f32x4.extract_lane(most, 3)),
  );
  for (; signal < end; signal += F32) peak = max(peak, Mathf.abs(load<f32>(signal)));
  return <f64>peak;
}

/** Lowest and highest of `count` singles, written to `output` (two f32); not numbers where one of them is not, or is infinite. */
export function extremes(signal: usize, count: i32, output: usize): void {
  const end = signal + <usize>count * F32;
  const whole = signal + <usize>(count & ~7) * F32;
  // Minimum and maximum that pass over what is no number take one instruction each; what is none is seen to beside them, by v − v.
  let lows = f32x4.splat(Infinity);
  let highs = f32x4.splat(-Infinity);
  let odd = f32x4.splat(0);
  for (; signal < whole; signal += 32) {
    const v = v128.load(signal);
    const w = v128.load(signal, 16);
    lows = f32x4.pmin(lows, f32x4.pmin(v, w));
    highs = f32x4.pmax(highs, f32x4.pmax(v, w));
    odd = v128.or(odd, v128.or(f32x4.sub(v, v), f32x4.sub(w, w)));
  }
  let low = min(min(f32x4.extract_lane(lows, 0), f32x4.extract_lane(lows, 1)), min(f32x4.extract_lane(lows, 2), f32x4.extract_lane(lows, 3)));
  let high = max(max(f32x4.extract_lane(highs, 0), f32x4.extract_lane(highs, 1)), max(f32x4.extract_lane(highs, 2), f32x4.extract_lane(highs, 3)));
  let isOdd = v128.any_true(odd);
  for (; signal < end; signal += F32) {
    const v = load<f32>(signal);
    if (v - v != 0) isOdd = true;
    low = min(low, v);
    high = max(high, v);
  }
  store<f32>(output, isOdd ? NaN : low);
  store<f32>(output, isOdd ? NaN : high, 4);
}

/** Σ a · b over `count` singles, in doubles. */
export function innerProduct(a: usize, b: usize, count: i32): f64 {
  let first = f64x2.splat(0);
  let second = f64x2.splat(0);
  const whole = a + <usize>(count & ~3) * F32;
  const end = a + <usize>count * F32;
  for (; a < whole; a += 16, b += 16) {
    first = f64x2.add(first, f64x2.mul(pair(a, 0), pair(b, 0)));
    second = f64x2.add(second, f64x2.mul(pair(a, 8), pair(b, 8)));
  }
  let sum = sumOf(f64x2.add(first, second));
  for (; a < end; a += F32, b += F32) sum += <f64>load<f32>(a) * <f64>load<f32>(b);
  return sum;
}

/** For each of `blocks` stretches of `frames` (a multiple of 4) singles: Σ a², Σ b², Σ a · b, in doubles. */
export function blockProducts(a: usize, b: usize, frames: i32, blocks: i32, output: usize): void {
  for (let block = 0; block < blocks; block++) {
    const end = a + <usize>frames * F32;
    let aa = f64x2.splat(0);
    let bb = f64x2.splat(0);
    let ab = f64x2.splat(0);
    for (; a < end; a += 8, b += 8) {
      const x = pair(a, 0);
      const y = pair(b, 0);
      aa = f64x2.add(aa, f64x2.mul(x, x));
      bb = f64x2.add(bb, f64x2.mul(y, y));
      ab = f64x2.add(ab, f64x2.mul(x, y));
    }
    store<f64>(output, sumOf(aa));
    store<f64>(output, sumOf(bb), 8);
    store<f64>(output, sumOf(ab), 16);
    output += 24;
  }
}

/**
 * What two signals of `count` singles are to each other, in doubles: Σ a², Σ b², Σ a · b, Σ (b − a)², Σ (b · gain − a)², and the largest
 * magnitude of b − a.
 */
export function pairSums(a: usize, b: usize, gain: f64, count: i32, output: usize): void {
  const zero = f64x2.splat(0);
  const gains = f64x2.splat(gain);
  let aa = zero, aa2 = zero, bb = zero, bb2 = zero, ab = zero, ab2 = zero;
  let plain = zero, plain2 = zero, tried = zero, tried2 = zero, most = zero;
  const whole = a + <usize>(count & ~3) * F32;
  const end = a + <usize>count * F32;
  for (; a < whole; a += 16, b += 16) {
    const x = pair(a, 0);
    const y = pair(b, 0);
    const x2 = pair(a, 8);
    const y2 = pair(b, 8);
    aa = f64x2.add(aa, f64x2.mul(x, x));
    bb = f64x2.add(bb, f64x2.mul(y, y));
    ab = f64x2.add(ab, f64x2.mul(x, y));
    aa2 = f64x2.add(aa2, f64x2.mul(x2, x2));
    bb2 = f64x2.add(bb2, f64x2.mul(y2, y2));
    ab2 = f64x2.add(ab2, f64x2.mul(x2, y2));
    const d = f64x2.sub(y, x);
    const d2 = f64x2.sub(y2, x2);
    plain = f64x2.add(plain, f64x2.mul(d, d));
    plain2 = f64x2.add(plain2, f64x2.mul(d2, d2));
    most = f64x2.pmax(most, f64x2.pmax(f64x2.abs(d), f64x2.abs(d2)));
    const e = f64x2.sub(f64x2.mul(y, gains), x);
    const e2 = f64x2.sub(f64x2.mul(y2, gains), x2);
    tried = f64x2.add(tried, f64x2.mul(e, e));
    tried2 = f64x2.add(tried2, f64x2.mul(e2, e2));
  }
  let sumA = sumOf(f64x2.add(aa, aa2));
  let sumB = sumOf(f64x2.add(bb, bb2));
  let product = sumOf(f64x2.add(ab, ab2));
  let difference = sumOf(f64x2.add(plain, plain2));
  let residual = sumOf(f64x2.add(tried, tried2));
  let largest = max(f64x2.extract_lane(most, 0), f64x2.extract_lane(most, 1));
  for (; a < end; a += F32, b += F32) {
    const x = <f64>load<f32>(a);
    const y = <f64>load<f32>(b);
    sumA += x * x;
    sumB += y * y;
    product += x * y;
    difference += (y - x) * (y - x);
    residual += (y * gain - x) * (y * gain - x);
    largest = max(largest, Math.abs(y - x));
  }
  store<f64>(output, sumA);
  store<f64>(output, sumB, 8);
  store<f64>(output, product, 16);
  store<f64>(output, difference, 24);
  store<f64>(output, residual, 32);
  store<f64>(output, largest, 40);
}

/** The next two frames of left + right and left − right, the first added to `sums` before the second: mid and side as doubles beside each other. */
@inline
function addTwoFrames(sums: v128, left: usize, right: usize): v128 {
  const l = v128.load64_zero(left);
  const r = v128.load64_zero(right);
  const both = v128.shuffle<f32>(f32x4.add(l, r), f32x4.sub(l, r), 0, 4, 1, 5);
  sums = f64x2.add(sums, f64x2.promote_low_f32x4(both));
  return f64x2.add(sums, f64x2.promote_low_f32x4(v128.shuffle<i64>(both, both, 1, 0)));
}

/** One frame of the same. */
@inline
function addFrame(sums: v128, left: usize, right: usize): v128 {
  const l = v128.load32_zero(left);
  const r = v128.load32_zero(right);
  return f64x2.add(sums, f64x2.promote_low_f32x4(v128.shuffle<f32>(f32x4.add(l, r), f32x4.sub(l, r), 0, 4, 1, 5)));
}

/** Sums of `factor` frames each of left + right and of left − right, side by side: `count` of either. */
export function midAndSideSums(left: usize, right: usize, factor: i32, output: usize, count: i32): void {
  const span = <usize>factor * F32;
  const whole = <usize>(factor & ~1) * F32;
  const end = output + 2 * <usize>count * F32;
  // Two sums at a time: neither waits for the other.
  for (; output + 4 * F32 <= end; output += 4 * F32, left += 2 * span, right += 2 * span) {
    let first = f64x2.splat(0);
    let second = f64x2.splat(0);
    for (let at: usize = 0; at < whole; at += 2 * F32) {
      first = addTwoFrames(first, left + at, right + at);
      second = addTwoFrames(second, left + span + at, right + span + at);
    }
    if (whole < span) {
      first = addFrame(first, left + whole, right + whole);
      second = addFrame(second, left + span + whole, right + span + whole);
    }
    v128.store64_lane(output, f32x4.demote_f64x2_zero(first), 0);
    v128.store64_lane(output, f32x4.demote_f64x2_zero(second), 0, 8);
  }
  if (output < end) {
    let sums = f64x2.splat(0);
    for (let at: usize = 0; at < span; at += F32) sums = addFrame(sums, left + at, right + at);
    v128.store64_lane(output, f32x4.demote_f64x2_zero(sums), 0);
  }
}

/** Little-endian integers of 2 or 3 bytes, `stride` bytes apart, to singles of full scale 1. Reads a byte past the last. */
export function readIntegers(source: usize, bytes: i32, stride: i32, count: i32, output: usize): void {
  const end = output + <usize>count * F32;
  if (bytes == 2) {
    for (; output < end; output += F32, source += stride) store<f32>(output, <f32>(<i32>load<i16>(source)) * UNIT_16);
  } else {
    for (; output < end; output += F32, source += stride) {
      store<f32>(output, <f32>((load<i32>(source) << 8) >> 8) * UNIT_24);
    }
  }
}

/** Stereo frames of 3 bytes a sample, two at a time, `count` of them rounded up to even. Reads and writes up to a frame past the last. */
export function readStereo24(source: usize, count: i32, left: usize, right: usize): void {
  // Each sample's bytes in the upper three of a lane, so that a shift brings down its sign: left, left, right, right.
  const lanes = i8x16(-1, 0, 1, 2, -1, 6, 7, 8, -1, 3, 4, 5, -1, 9, 10, 11);
  const unit = f32x4.splat(UNIT_24);
  const end = left + <usize>count * F32;
  for (; left < end; left += 2 * F32, right += 2 * F32, source += 12) {
    const raised = v128.swizzle(v128.load(source), lanes);
    const samples = f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_s(raised, 8)), unit);
    v128.store64_lane(left, samples, 0);
    v128.store64_lane(right, samples, 1);
  }
}

/** Σ of `count` singles in 64 bits. */
export function sumOfSingles(signal: usize, count: i32): f64 {
  let first = f64x2.splat(0);
  let second = f64x2.splat(0);
  const end = signal + <usize>count * F32;
  for (const whole = end - <usize>(count % 4) * F32; signal < whole; signal += 4 * F32) {
    first = f64x2.add(first, pair(signal, 0));
    second = f64x2.add(second, pair(signal, 8));
  }
  let sum = sumOf(f64x2.add(first, second));
  for (; signal < end; signal += F32) sum += <f64>load<f32>(signal);
  return sum;
}
