// The inner loops of the ear model of src/core/audibility/ear-model.ts, which says what is worked out and after which source.
import { COMPLEX, F64, sumOf } from "./lanes";

/** Excitations of different bands add up as powers of this. */
const ADDITION: f64 = 0.4;
/** What a band passes on downwards falls by this, bels a Bark: 27 dB. */
const DOWN_BELS: f64 = 2.7;
/** Parts under this share of a band's own are not passed on further up: −300 dB. */
const LEAST_PART: f64 = 1e-12;

/** Powers of `bins` complex points, each with its weight, times `scale`. */
export function weightedPowers(spectrum: usize, weights: usize, scale: f64, bins: i32, powers: usize): void {
  const end = powers + <usize>bins * F64;
  for (; powers < end; powers += F64, weights += F64, spectrum += COMPLEX) {
    const z = v128.load(spectrum);
    store<f64>(powers, scale * load<f64>(weights) * sumOf(f64x2.mul(z, z)));
  }
}

/** Powers of what magnitudes differ by whose powers lie at `one` and `other`: `count`, rounded up to two. */
export function powersApart(one: usize, other: usize, count: i32, apart: usize): void {
  const end = apart + <usize>count * F64;
  for (; apart < end; apart += 2 * F64, one += 2 * F64, other += 2 * F64) {
    const by = f64x2.sub(f64x2.sqrt(v128.load(one)), f64x2.sqrt(v128.load(other)));
    v128.store(apart, f64x2.mul(by, by));
  }
}

/** Powers of bins summed to `count` bands. Of each band `edges` holds its first bin and how many it has, and `parts` what of each of these is in it. */
export function bandSums(powers: usize, edges: usize, parts: usize, count: i32, sums: usize): void {
  for (const end = sums + <usize>count * F64; sums < end; sums += F64, edges += 2 * F64) {
    let at = powers + <usize>load<f64>(edges) * F64;
    let sum: f64 = 0;
    for (const to = at + <usize>load<f64>(edges, 8) * F64; at < to; at += F64, parts += F64)
      sum += load<f64>(at) * load<f64>(parts);
    store<f64>(sums, sum);
  }
}

/**
 * `count` bands' powers spread over their neighbours. Of each band a slope upwards at 0 dB lies at `slopes`, dB a Bark; `stepBark` is from band to band.
 * Room for `count` doubles at `peaks`; the sums, still as powers of 0.4, lie at `sums` then, which has room for one more.
 */
export function spreadBands(
  powers: usize,
  slopes: usize,
  count: i32,
  stepBark: f64,
  peaks: usize,
  sums: usize,
): void {
  memory.fill(sums, 0, <usize>count * F64);
  const decibel = NativeMath.LN10 / 10;
  // What a band passes on to the next one below: as powers of 0.4 are added up, and as power itself.
  const logDown = -DOWN_BELS * NativeMath.LN10 * stepBark;
  const down = NativeMath.exp(ADDITION * logDown);
  const downWhole = NativeMath.exp(logDown);
  let downSum: f64 = 0;
  let downPart: f64 = 1;
  for (let b = 0; b < count; b++) {
    const at = <usize>b * F64;
    // The power is kept: what is spread adds up to what there was, by geometric sums of parts of power itself.
    downSum += downPart;
    downPart *= downWhole;
    const logPower = NativeMath.log(load<f64>(powers + at));
    const slope = max<f64>(0, load<f64>(slopes + at) - (0.2 / decibel) * logPower);
    const logUp = -slope * decibel * stepBark;
    const left = <f64>(count - b);
    const above = logUp < 0 ? (1 - NativeMath.exp(left * logUp)) / (1 - NativeMath.exp(logUp)) : left;
    const peak = NativeMath.exp(ADDITION * (logPower - NativeMath.log(downSum + above - 1)));
    store<f64>(peaks + at, peak);
    const up = NativeMath.exp(ADDITION * logUp);
    const least = peak * LEAST_PART;
    const end = sums + <usize>count * F64;
    // Two bands at a time; where their number is odd, the last goes into the room behind.
    let parts = f64x2.replace_lane(f64x2.splat(peak * up), 1, peak * up * up);
    const step = f64x2.splat(up * up);
    for (let to = sums + at + F64; to < end && f64x2.extract_lane(parts, 0) > least; to += 2 * F64) {
      v128.store(to, f64x2.add(v128.load(to), parts));
      parts = f64x2.mul(parts, step);
    }
  }
  // Downwards all bands fall alike: what comes from above is passed on from band to band.
  let passed: f64 = 0;
  for (let b = count - 1; b >= 0; b--) {
    const at = <usize>b * F64;
    passed = passed * down + load<f64>(peaks + at);
    store<f64>(sums + at, load<f64>(sums + at) + passed);
  }
}
