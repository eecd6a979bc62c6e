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
