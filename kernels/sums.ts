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

/** Lowest and highest of `count` singles, written to `output` (two f32); not a number where one of them is not. */
export function extremes(signal: usize, count: i32, output: usize): void {
  const end = signal + <usize>count * F32;
  const whole = signal + <usize>(count & ~3) * F32;
  let low: f32 = Infinity;
  let high: f32 = -Infinity;
  if (signal < whole) {
    let lows = v128.load(signal);
    let highs = lows;
    for (; signal < whole; signal += 16) {
      const v = v128.load(signal);
      lows = f32x4.min(lows, v);
      highs = f32x4.max(highs, v);
    }
    low = min(min(f32x4.extract_lane(lows, 0), f32x4.extract_lane(lows, 1)), min(f32x4.extract_lane(lows, 2), f32x4.extract_lane(lows, 3)));
    high = max(max(f32x4.extract_lane(highs, 0), f32x4.extract_lane(highs, 1)), max(f32x4.extract_lane(highs, 2), f32x4.extract_lane(highs, 3)));
  }
  for (; signal < end; signal += F32) {
    const v = load<f32>(signal);
    low = min(low, v);
    high = max(high, v);
  }
  store<f32>(output, low);
  store<f32>(output, high, 4);
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

/** Σ (b · gain − a)² over `count` singles, in doubles. */
export function differenceEnergy(a: usize, b: usize, gain: f64, count: i32): f64 {
  let first = f64x2.splat(0);
  let second = f64x2.splat(0);
  const gains = f64x2.splat(gain);
  const whole = a + <usize>(count & ~3) * F32;
  const end = a + <usize>count * F32;
  for (; a < whole; a += 16, b += 16) {
    const d = f64x2.sub(f64x2.mul(pair(b, 0), gains), pair(a, 0));
    const e = f64x2.sub(f64x2.mul(pair(b, 8), gains), pair(a, 8));
    first = f64x2.add(first, f64x2.mul(d, d));
    second = f64x2.add(second, f64x2.mul(e, e));
  }
  let sum = sumOf(f64x2.add(first, second));
  for (; a < end; a += F32, b += F32) {
    const d = <f64>load<f32>(b) * gain - <f64>load<f32>(a);
    sum += d * d;
  }
  return sum;
}

/** Sums of `factor` frames each of left + right and of left − right, side by side: `count` of either. */
export function midAndSideSums(left: usize, right: usize, factor: i32, output: usize, count: i32): void {
  const end = output + 2 * <usize>count * F32;
  for (; output < end; output += 2 * F32) {
    let mid: f64 = 0;
    let side: f64 = 0;
    for (let k = 0; k < factor; k++, left += F32, right += F32) {
      mid += <f64>(load<f32>(left) + load<f32>(right));
      side += <f64>(load<f32>(left) - load<f32>(right));
    }
    store<f32>(output, <f32>mid);
    store<f32>(output, <f32>side, 4);
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
