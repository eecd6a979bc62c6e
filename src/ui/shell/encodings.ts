/** Word lengths that sound is written in, as they are offered. */
export const ENCODINGS = [
  { value: "16-bit", title: "16 bit", hint: "Triangular dither, unless the render is already 16-bit" },
  { value: "24-bit", title: "24 bit", hint: "Rounded to nearest, clipped at full scale" },
  { value: "32-bit float", title: "32 float", hint: "Every sample unchanged, also above full scale" },
] as const;
