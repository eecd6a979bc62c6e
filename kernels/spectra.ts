// Transforms and spectra.
import { COMPLEX, F32, F64, pair, sumOf } from "./lanes";

/** −1, 1, 1, −1: signs of the parts of two complex numbers. */
const SIGNS: usize = memory.data<f64>([-1, 1, 1, -1], 16);

/** `count` singles, a multiple of 4, times a window of doubles. */
export function windowed(signal: usize, window: usize, output: usize, count: i32): void {
  const end = output + <usize>count * F64;
  for (; output < end; output += 4 * F64, window += 4 * F64, signal += 4 * F32) {
    v128.store(output, f64x2.mul(pair(signal, 0), v128.load(window)));
    v128.store(output, f64x2.mul(pair(signal, 8), v128.load(window, 16)), 16);
  }
}

/** z times the complex number at `at`. */
@inline
function times(z: v128, at: usize): v128 {
  const w = v128.load(at);
  const re = v128.shuffle<f64>(w, w, 0, 0);
  const im = v128.shuffle<f64>(w, w, 1, 1);
  const crossed = f64x2.mul(v128.shuffle<f64>(z, z, 1, 0), im);
  return f64x2.add(f64x2.mul(z, re), f64x2.mul(crossed, v128.load(SIGNS)));
}

/** j · z */
@inline
function timesJ(z: v128): v128 {
  return f64x2.mul(v128.shuffle<f64>(z, z, 1, 0), v128.load(SIGNS));
}

/**
 * Forward complex DFT of `size` points (a power of two), Stockham's self-sorting radix 4 with one radix-2 stage where the
 * exponent is odd. `roots` holds exp(−2πi k / (rootStep · size)) for k < ¾ rootStep · size. Data and work are used in turn; the result
 * lies where the returned pointer says.
 */
export function transform(data: usize, work: usize, size: i32, roots: usize, rootStep: i32): usize {
  let x = data;
  let y = work;
  let n = size;
  let s = 1;
  while (n >= 4) {
    const quarter = n >> 2;
    const step = <usize>(rootStep * s) * COMPLEX;
    const stride = <usize>s * COMPLEX;
    const apart = <usize>quarter * stride;
    for (let p = 0; p < quarter; p++) {
      const w1 = roots + <usize>p * step;
      const w2 = roots + <usize>(2 * p) * step;
      const w3 = roots + <usize>(3 * p) * step;
      let from = x + <usize>p * stride;
      let to = y + <usize>(4 * p) * stride;
      const end = from + stride;
      while (from < end) {
        const a = v128.load(from);
        const b = v128.load(from + apart);
        const c = v128.load(from + 2 * apart);
        const d = v128.load(from + 3 * apart);
        const apc = f64x2.add(a, c);
        const amc = f64x2.sub(a, c);
        const bpd = f64x2.add(b, d);
        const jbmd = timesJ(f64x2.sub(b, d));
        v128.store(to, f64x2.add(apc, bpd));
        v128.store(to + stride, times(f64x2.sub(amc, jbmd), w1));
        v128.store(to + 2 * stride, times(f64x2.sub(apc, bpd), w2));
        v128.store(to + 3 * stride, times(f64x2.add(amc, jbmd), w3));
        from += COMPLEX;
        to += COMPLEX;
      }
    }
    n >>= 2;
    s <<= 2;
    const swap = x;
    x = y;
    y = swap;
  }
  if (n == 2) {
    const stride = <usize>s * COMPLEX;
    for (let at: usize = 0; at < stride; at += COMPLEX) {
      const a = v128.load(x + at);
      const b = v128.load(x + at + stride);
      v128.store(y + at, f64x2.add(a, b));
      v128.store(y + at + stride, f64x2.sub(a, b));
    }
    return y;
  }
  return x;
}

/**
 * From the transform of `half` complex points that hold a real signal of twice as many (even ones as re, odd ones as im) to its
 * spectrum of `half` + 1 bins. `roots` as above with exp(−2πi k / (2 · half)).
 */
export function unfold(packed: usize, half: i32, roots: usize, output: usize): void {
  const conjugate = v128.load(SIGNS + 16);
  const halved = f64x2.splat(0.5);
  for (let k = 0; k <= half; k++) {
    const z = v128.load(packed + <usize>(k == half ? 0 : k) * COMPLEX);
    const mirrored = f64x2.mul(v128.load(packed + <usize>(k == 0 ? 0 : half - k) * COMPLEX), conjugate);
    const even = f64x2.mul(f64x2.add(z, mirrored), halved);
    const odd = f64x2.mul(f64x2.sub(z, mirrored), halved);
    // −j · odd · root
    const part = times(odd, roots + <usize>k * COMPLEX);
    v128.store(output + <usize>k * COMPLEX, f64x2.sub(even, timesJ(part)));
  }
}

/** The way back: conjugated, so that a forward transform does the rest. */
export function fold(spectrum: usize, half: i32, roots: usize, output: usize): void {
  const conjugate = v128.load(SIGNS + 16);
  for (let k = 0; k < half; k++) {
    const z = f64x2.mul(v128.load(spectrum + <usize>k * COMPLEX), conjugate);
    const mirrored = v128.load(spectrum + <usize>(half - k) * COMPLEX);
    const even = f64x2.add(z, mirrored);
    const odd = times(f64x2.sub(z, mirrored), roots + <usize>k * COMPLEX);
    v128.store(output + <usize>k * COMPLEX, f64x2.sub(even, timesJ(odd)));
  }
}

/** Adds a · b of `bins` complex points to `sum`. */
export function addProducts(a: usize, b: usize, bins: i32, sum: usize): void {
  const end = sum + <usize>bins * COMPLEX;
  for (; sum < end; sum += COMPLEX, a += COMPLEX, b += COMPLEX)
    v128.store(sum, f64x2.add(v128.load(sum), times(v128.load(a), b)));
}

/** What `fold` and a transform have made, as the signal it is: `count` reals, an even number, each pair by `scale` and −`scale`. */
export function straightened(packed: usize, count: i32, scale: f64): void {
  const by = f64x2.replace_lane(f64x2.splat(scale), 1, -scale);
  const end = packed + <usize>count * F64;
  for (; packed < end; packed += COMPLEX) v128.store(packed, f64x2.mul(v128.load(packed), by));
}

/**
 * Levinson's recursion: the prediction-error filter of `order` for an autocorrelation. `turned` holds the correlation from lag `order` down to lag 0,
 * `prediction` room for `order` + 1, the first 1 and the others 0. Ends early where rounding has the last word; gives the power of the error.
 */
export function levinson(turned: usize, order: i32, prediction: usize): f64 {
  let error = load<f64>(turned + <usize>order * F64);
  for (let m = 1; m <= order && error > 0; m++) {
    const lags = turned + <usize>(order - m) * F64;
    let a = f64x2.splat(0);
    let b = f64x2.splat(0);
    let k = 0;
    for (; k + 4 <= m; k += 4) {
      const at = <usize>k * F64;
      a = f64x2.add(a, f64x2.mul(v128.load(prediction + at), v128.load(lags + at)));
      b = f64x2.add(b, f64x2.mul(v128.load(prediction + at, 16), v128.load(lags + at, 16)));
    }
    let sum = sumOf(f64x2.add(a, b));
    for (; k < m; k++) sum += load<f64>(prediction + <usize>k * F64) * load<f64>(lags + <usize>k * F64);
    const reflection = -sum / error;
    const next = error * (1 - reflection * reflection);
    if (!(next > 0)) break;
    // From both ends towards the middle, so that nothing is written over before it has been read.
    let low = prediction;
    let high = prediction + <usize>m * F64;
    const by = f64x2.splat(reflection);
    for (; low + 3 * F64 <= high; low += 2 * F64, high -= 2 * F64) {
      const x = v128.load(low);
      const y = v128.load(high - F64);
      v128.store(low, f64x2.add(x, f64x2.mul(by, v128.shuffle<f64>(y, y, 1, 0))));
      v128.store(high - F64, f64x2.add(y, f64x2.mul(by, v128.shuffle<f64>(x, x, 1, 0))));
    }
    for (; low < high; low += F64, high -= F64) {
      const x = load<f64>(low);
      const y = load<f64>(high);
      store<f64>(low, x + reflection * y);
      store<f64>(high, y + reflection * x);
    }
    if (low == high) store<f64>(low, load<f64>(low) * (1 + reflection));
    error = next;
  }
  return error;
}

/**
 * Adds to `cross` (complex) conj(a) · b of `bins` complex points, for each of `count` spectra of a and b that lie one behind the other,
 * `bins` apart.
 */
export function addCross(a: usize, b: usize, bins: i32, count: i32, cross: usize): void {
  const apart = <usize>bins * COMPLEX;
  const conjugate = v128.load(SIGNS + 16);
  for (let n = 0; n < count; n++) {
    const end = cross + apart;
    for (let to = cross; to < end; to += COMPLEX, a += COMPLEX, b += COMPLEX) {
      const x = v128.load(a);
      const y = v128.load(b);
      const re = v128.shuffle<f64>(x, x, 0, 0);
      const im = f64x2.mul(v128.shuffle<f64>(x, x, 1, 1), conjugate);
      // (re − j im)(yr + j yi) = re·yr + im·yi, re·yi − im·yr
      const sum = f64x2.add(f64x2.mul(re, y), f64x2.mul(im, v128.shuffle<f64>(y, y, 1, 0)));
      v128.store(to, f64x2.add(v128.load(to), sum));
    }
  }
}

/** Adds to `power` (f64) the squared magnitude of `bins` complex points, for each of `count` spectra one behind the other. */
export function addPower(a: usize, bins: i32, count: i32, power: usize): void {
  for (let n = 0; n < count; n++) {
    const end = power + <usize>bins * F64;
    for (let to = power; to < end; to += F64, a += COMPLEX) {
      const x = v128.load(a);
      store<f64>(to, load<f64>(to) + sumOf(f64x2.mul(x, x)));
    }
  }
}

/** Raises `most` (f64) to the largest squared magnitude of `bins` complex points of `count` spectra one behind the other, and adds them to `power`. */
export function addPowerAndMost(a: usize, bins: i32, count: i32, power: usize, most: usize): void {
  for (let n = 0; n < count; n++) {
    const end = power + <usize>bins * F64;
    for (let to = power, top = most; to < end; to += F64, top += F64, a += COMPLEX) {
      const x = v128.load(a);
      const own = sumOf(f64x2.mul(x, x));
      store<f64>(to, load<f64>(to) + own);
      store<f64>(top, max(load<f64>(top), own));
    }
  }
}
