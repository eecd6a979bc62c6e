/** Powers and cross powers of two signals x and y over segments, bin by bin: Σ |X|², Σ |Y|², and Σ X* Y as its real and imaginary part. */
export type CrossSums = {
  xx: Float64Array;
  yy: Float64Array;
  re: Float64Array;
  im: Float64Array;
  segments: number;
};

export function crossSums(bins: number): CrossSums {
  const [xx, yy, re, im] = Array.from({ length: 4 }, () => new Float64Array(bins));
  return { xx, yy, re, im, segments: 0 };
}

/** Adds the powers of one segment, of interleaved spectra. */
export function addCross({ xx, yy, re, im }: CrossSums, x: Float64Array, y: Float64Array): void {
  for (let k = 0; k < xx.length; k++) {
    const xr = x[2 * k];
    const xi = x[2 * k + 1];
    const yr = y[2 * k];
    const yi = y[2 * k + 1];
    xx[k] += xr * xr + xi * xi;
    yy[k] += yr * yr + yi * yi;
    re[k] += xr * yr + xi * yi;
    im[k] += xr * yi - xi * yr;
  }
}
