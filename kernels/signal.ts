// The inner loops that everything else waits for, in AssemblyScript: 64-bit SIMD, no memory management of their own.
// `npm run kernels` compiles this file into src/core/kernels/bytes.ts; src/core/kernels/kernels.ts is the only caller.
// Pointers are byte offsets into the module's memory; complex numbers lie as re, im.

const F32: usize = 4;
const F64: usize = 8;
const COMPLEX: usize = 16;
/** −1, 1, 1, −1: signs of the parts of two complex numbers. */
const SIGNS: usize = memory.data<f64>([-1, 1, 1, -1], 16);

/** Two singles as doubles. */
@inline
function pair(at: usize, offset: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(at + offset));
}

@inline
function sumOf(v: v128): f64 {
  return f64x2.extract_lane(v, 0) + f64x2.extract_lane(v, 1);
}

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

/** left ← (left + `sign` · right) / 2 over `count` singles, a multiple of 4. */
export function mix(left: usize, right: usize, sign: f32, count: i32): void {
  const half = f32x4.splat(0.5);
  const other = f32x4.splat(0.5 * sign);
  const end = left + <usize>count * F32;
  for (; left < end; left += 16, right += 16) {
    v128.store(left, f32x4.add(f32x4.mul(half, v128.load(left)), f32x4.mul(other, v128.load(right))));
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

/** Little-endian integers of 2 or 3 bytes, `stride` bytes apart, to singles of full scale 1. Reads a byte past the last. */
export function readIntegers(source: usize, bytes: i32, stride: i32, count: i32, output: usize): void {
  const end = output + <usize>count * F32;
  if (bytes == 2) {
    for (; output < end; output += F32, source += stride) store<f32>(output, <f32>(<i32>load<i16>(source)) / 32768);
  } else {
    for (; output < end; output += F32, source += stride) {
      store<f32>(output, <f32>((load<i32>(source) << 8) >> 8) / 8388608);
    }
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

/** Sums of `factor` frames each of left + sign · right: `count` of them. */
export function sumsOf(left: usize, right: usize, sign: f32, factor: i32, output: usize, count: i32): void {
  const end = output + <usize>count * F32;
  for (; output < end; output += F32) {
    let sum: f64 = 0;
    for (let k = 0; k < factor; k++, left += F32, right += F32) sum += <f64>(load<f32>(left) + sign * load<f32>(right));
    store<f32>(output, <f32>sum);
  }
}

/**
 * Energies of a signal (`count` singles) in four bands, added to `energies` (4 f64). Bands are split by one-pole filters: `keeps` (3 f64) is
 * how much of each step they follow, `state` (3 f64) what they hold from call to call.
 */
export function bandEnergies(signal: usize, count: i32, keeps: usize, state: usize, energies: usize): void {
  const k1 = load<f64>(keeps);
  const k2 = load<f64>(keeps, 8);
  const k3 = load<f64>(keeps, 16);
  let low = load<f64>(state);
  let lowMid = load<f64>(state, 8);
  let highMid = load<f64>(state, 16);
  let e0: f64 = 0;
  let e1: f64 = 0;
  let e2: f64 = 0;
  let e3: f64 = 0;
  const end = signal + <usize>count * F32;
  for (; signal < end; signal += F32) {
    const x = <f64>load<f32>(signal);
    low += k1 * (x - low);
    lowMid += k2 * (x - lowMid);
    highMid += k3 * (x - highMid);
    e0 += low * low;
    e1 += (lowMid - low) * (lowMid - low);
    e2 += (highMid - lowMid) * (highMid - lowMid);
    e3 += (x - highMid) * (x - highMid);
  }
  store<f64>(state, low);
  store<f64>(state, lowMid, 8);
  store<f64>(state, highMid, 16);
  store<f64>(energies, load<f64>(energies) + e0);
  store<f64>(energies, load<f64>(energies, 8) + e1, 8);
  store<f64>(energies, load<f64>(energies, 16) + e2, 16);
  store<f64>(energies, load<f64>(energies, 24) + e3, 24);
}
