/**
 * A repeatable source of numbers in [0, 1): Marsaglia's 32-bit xorshift (Journal of Statistical Software 8/14, 2003).
 * For synthesis and tests only; anything a listener must not foresee comes from the platform's cryptographic source.
 */
export function seededRandom(seed: number): () => number {
  let state = seed | 0 || 1;
  return () => {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return (state >>> 0) / 4294967296;
  };
}

/** A seed of its own for each channel, so that what is drawn for one does not hang on how much was drawn for another. */
export const channelSeed = (seed: number, channel: number): number => seed ^ Math.imul(channel, 0x9e3779b9);
