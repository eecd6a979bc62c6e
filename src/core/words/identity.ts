/** How two are the same: every sample, or so near that words of so many bits hold the same. */
export const IDENTICAL_WORDS = {
  bit: "bit-identical",
  "24-bit": "identical to 24 bits",
  "16-bit": "identical to 16 bits",
} as const;
