/**
 * The integers that a decoder made floats of, divided by 2^(bits − 1) as plain samples are, so that a coded file and the WAV of the same audio
 * are bit-identical. Decoders divide by one step less than full scale: what is not negative, or (`isBelowToo`) all. Exact to 24 bits.
 */
export function exactIntegers(channels: readonly Float32Array[], bits: number, isBelowToo: boolean): Float32Array[] {
  const full = 2 ** (bits - 1);
  const below = isBelowToo ? full - 1 : full;
  return channels.map((channel) => channel.map((v) => Math.round(v * (v < 0 ? below : full - 1)) / full));
}
