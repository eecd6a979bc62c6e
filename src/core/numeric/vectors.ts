// Loops over signals, each by itself: small functions on typed arrays are what the engine makes fast.

/** a · b, entry by entry. */
export function times(a: Float64Array, b: Float64Array): Float64Array {
  const output = new Float64Array(a.length);
  for (let n = 0; n < a.length; n++) output[n] = a[n] * b[n];
  return output;
}

/** to += gain · signal */
export function addTimes(to: Float64Array, gain: number, signal: Float64Array): void {
  for (let n = 0; n < to.length; n++) to[n] += gain * signal[n];
}

/** to += a · b, entry by entry. */
export function addProduct(to: Float64Array, a: Float64Array, b: Float64Array): void {
  for (let n = 0; n < to.length; n++) to[n] += a[n] * b[n];
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
