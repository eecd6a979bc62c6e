// A cubic spline is a cubic of the way t into each of its intervals: sums over samples that have to do with its knots are sums of powers of t, interval by interval.

/** The four basis splines of an interval, by powers of t. */
const BASIS = [
  [1, -3, 3, -1],
  [4, 0, -6, 3],
  [1, 3, 3, -3],
  [0, 0, 0, 1],
].map((row) => row.map((v) => v / 6));
/** Their products, by powers of t. */
const PRODUCTS = BASIS.map((a) =>
  BASIS.map((b) => {
    const powers = new Float64Array(7);
    for (const [i, u] of a.entries()) for (const [j, v] of b.entries()) powers[i + j] += u * v;
    return powers;
  }),
);

/** In which of so many intervals from −reach to reach each sample lies, and how far into it; samples beyond lie at an end. */
export type Places = { interval: Uint16Array; into: Float64Array };

export function placesOf(signal: Float64Array, reach: number, intervals: number): Places {
  const interval = new Uint16Array(signal.length);
  const into = new Float64Array(signal.length);
  const scale = intervals / (2 * reach);
  for (let n = 0; n < signal.length; n++) {
    const v = signal[n];
    const place = v <= -reach ? 0 : v >= reach ? intervals : (v + reach) * scale;
    const k = place >= intervals ? intervals - 1 : Math.floor(place);
    interval[n] = k;
    into[n] = place - k;
  }
  return { interval, into };
}

/** Adds Σ w · basis · basisᵀ to a matrix of so many knots. */
export function addBasisProducts(
  { interval, into }: Places,
  weight: Float64Array,
  matrix: Float64Array,
  knots: number,
): void {
  const end = weight.length;
  const sums = new Float64Array(7 * (knots - 3));
  for (let n = 0; n < end; ) {
    const k = interval[n];
    let s0 = 0;
    let s1 = 0;
    let s2 = 0;
    let s3 = 0;
    let s4 = 0;
    let s5 = 0;
    let s6 = 0;
    // Sound stays in an interval for a while: its sums are kept at hand until it leaves.
    for (; n < end && interval[n] === k; n++) {
      const t = into[n];
      let v = weight[n];
      s0 += v;
      v *= t;
      s1 += v;
      v *= t;
      s2 += v;
      v *= t;
      s3 += v;
      v *= t;
      s4 += v;
      v *= t;
      s5 += v;
      s6 += v * t;
    }
    const at = 7 * k;
    sums[at] += s0;
    sums[at + 1] += s1;
    sums[at + 2] += s2;
    sums[at + 3] += s3;
    sums[at + 4] += s4;
    sums[at + 5] += s5;
    sums[at + 6] += s6;
  }
  for (let k = 0; k < knots - 3; k++)
    for (let a = 0; a < 4; a++)
      for (let b = 0; b < 4; b++) {
        let sum = 0;
        for (let p = 0; p < 7; p++) sum += PRODUCTS[a][b][p] * sums[7 * k + p];
        matrix[(k + a) * knots + k + b] += sum;
      }
}

/** Adds Σ signal · basis to knots; a loop of its own, for fewer powers in it are what makes it quick. */
export function addBasisSums({ interval, into }: Places, signal: Float64Array, knots: Float64Array): void {
  const end = signal.length;
  const count = knots.length - 3;
  const sums = new Float64Array(4 * count);
  for (let n = 0; n < end; ) {
    const k = interval[n];
    let s0 = 0;
    let s1 = 0;
    let s2 = 0;
    let s3 = 0;
    for (; n < end && interval[n] === k; n++) {
      const t = into[n];
      let v = signal[n];
      s0 += v;
      v *= t;
      s1 += v;
      v *= t;
      s2 += v;
      s3 += v * t;
    }
    sums[4 * k] += s0;
    sums[4 * k + 1] += s1;
    sums[4 * k + 2] += s2;
    sums[4 * k + 3] += s3;
  }
  for (let k = 0; k < count; k++)
    for (let a = 0; a < 4; a++) {
      let sum = 0;
      for (let p = 0; p < 4; p++) sum += BASIS[a][p] * sums[4 * k + p];
      knots[k + a] += sum;
    }
}
