// Loops over signals, each by itself: small functions on typed arrays are what the engine makes fast; four entries at a time, half as fast again (measured).

/** a · b, entry by entry. */
export function times(a: Float64Array, b: Float64Array): Float64Array {
  const output = new Float64Array(a.length);
  timesInto(output, a, b);
  return output;
}

/** to = a · b, entry by entry, into room that is there. */
export function timesInto(to: Float64Array, a: Float64Array, b: Float64Array): void {
  let n = 0;
  for (const end = to.length - 3; n < end; n += 4) {
    to[n] = a[n] * b[n];
    to[n + 1] = a[n + 1] * b[n + 1];
    to[n + 2] = a[n + 2] * b[n + 2];
    to[n + 3] = a[n + 3] * b[n + 3];
  }
  for (; n < to.length; n++) to[n] = a[n] * b[n];
}

/** to[n] += f0 · signal[n] + f1 · signal[n − 1] + f2 · signal[n − 2], with silence before its beginning. */
export function addDelayed(to: Float64Array, signal: Float64Array, f0: number, f1: number, f2: number): void {
  let v1 = 0;
  let v2 = 0;
  let n = 0;
  // Four at a time, for speed.
  for (const end = to.length - 3; n < end; n += 4) {
    const a = signal[n];
    const b = signal[n + 1];
    const c = signal[n + 2];
    const d = signal[n + 3];
    to[n] += f0 * a + f1 * v1 + f2 * v2;
    to[n + 1] += f0 * b + f1 * a + f2 * v1;
    to[n + 2] += f0 * c + f1 * b + f2 * a;
    to[n + 3] += f0 * d + f1 * c + f2 * b;
    v1 = d;
    v2 = c;
  }
  for (; n < to.length; n++) {
    const v = signal[n];
    to[n] += f0 * v + f1 * v1 + f2 * v2;
    v2 = v1;
    v1 = v;
  }
}

/** Σ a[n] · b[n − late] for late 0, 1 and 2, with silence before the beginning of b. */
export function delayedProducts(a: Float64Array, b: Float64Array): [number, number, number] {
  let s0 = 0;
  let s1 = 0;
  let s2 = 0;
  let v1 = 0;
  let v2 = 0;
  for (let n = 0; n < a.length; n++) {
    const u = a[n];
    const v = b[n];
    s0 += u * v;
    s1 += u * v1;
    s2 += u * v2;
    v2 = v1;
    v1 = v;
  }
  return [s0, s1, s2];
}

/** to += gain · signal */
export function addTimes(to: Float64Array, gain: number, signal: Float64Array): void {
  let n = 0;
  for (const end = to.length - 3; n < end; n += 4) {
    to[n] += gain * signal[n];
    to[n + 1] += gain * signal[n + 1];
    to[n + 2] += gain * signal[n + 2];
    to[n + 3] += gain * signal[n + 3];
  }
  for (; n < to.length; n++) to[n] += gain * signal[n];
}

/** to += a · b, entry by entry. */
export function addProduct(to: Float64Array, a: Float64Array, b: Float64Array): void {
  let n = 0;
  for (const end = to.length - 3; n < end; n += 4) {
    to[n] += a[n] * b[n];
    to[n + 1] += a[n + 1] * b[n + 1];
    to[n + 2] += a[n + 2] * b[n + 2];
    to[n + 3] += a[n + 3] * b[n + 3];
  }
  for (; n < to.length; n++) to[n] += a[n] * b[n];
}

/** a − b, entry by entry. */
export function minus(a: Float64Array, b: Float64Array): Float64Array {
  const output = new Float64Array(a.length);
  for (let n = 0; n < a.length; n++) output[n] = a[n] - b[n];
  return output;
}

/** a / b, entry by entry. */
export function over(a: Float64Array, b: Float64Array): Float64Array {
  const output = new Float64Array(a.length);
  for (let n = 0; n < a.length; n++) output[n] = a[n] / b[n];
  return output;
}
