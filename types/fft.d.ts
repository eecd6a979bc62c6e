declare module "fft.js" {
  /** Radix-4 FFT over interleaved complex 64-bit arrays; `size` is a power of two above 1. */
  export default class FFT {
    constructor(size: number);
    readonly size: number;
    createComplexArray(): number[];
    transform(output: ArrayLike<number>, input: ArrayLike<number>): void;
    realTransform(output: ArrayLike<number>, input: ArrayLike<number>): void;
    completeSpectrum(spectrum: ArrayLike<number>): void;
    inverseTransform(output: ArrayLike<number>, input: ArrayLike<number>): void;
  }
}
