/**
 * Standard error of a power that was read over some frames beside noise, dB: noise moves it by twice the product of both, and by its own. `noiseShare` is the
 * power of noise over what is read; `evenness` is 1 for white noise, less where noise lies in few frequencies and fluctuates more.
 */
export const powerErrorDb = (noiseShare: number, frames: number, evenness = 1): number =>
  4.343 * Math.sqrt((4 * noiseShare + (2 * noiseShare * noiseShare) / evenness) / frames);
