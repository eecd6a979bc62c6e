// Functions whose last bit hosts do not agree on, compiled, so that a browser, Node and a test give the same results to the bit.
// The language's own library, after musl's.

export function sin(x: f64): f64 {
  return NativeMath.sin(x);
}
export function cos(x: f64): f64 {
  return NativeMath.cos(x);
}
export function tan(x: f64): f64 {
  return NativeMath.tan(x);
}
export function atan2(y: f64, x: f64): f64 {
  return NativeMath.atan2(y, x);
}
export function exp(x: f64): f64 {
  return NativeMath.exp(x);
}
export function log(x: f64): f64 {
  return NativeMath.log(x);
}
export function log2(x: f64): f64 {
  return NativeMath.log2(x);
}
export function log10(x: f64): f64 {
  return NativeMath.log10(x);
}
export function pow(base: f64, exponent: f64): f64 {
  return NativeMath.pow(base, exponent);
}
export function tanh(x: f64): f64 {
  return NativeMath.tanh(x);
}
export function cosh(x: f64): f64 {
  return NativeMath.cosh(x);
}

/** The first byte that the caller may use. */
export function workspaceStart(): usize {
  return (__heap_base + 15) & ~15;
}
