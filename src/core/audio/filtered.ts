import { forwardReal, inverseReal, multiplySpectra, powerOfTwoAtLeast } from "./fft";
import { asRead, fromBlocks, type Sound } from "./sound";

/** Taps of the longest response. */
export const MOST_TAPS = 65_536;
const LEAST_SIZE = 16_384;

/**
 * A sound through finite impulse responses, as it is read: one for all channels, or one each. Tap `lead` counts as time zero: sample i is
 * Σ h[k] · x[i + lead − k], silence outside. By overlap-save on blocks of a fixed grid, so that each sample is the same to the last bit however it
 * is read.
 */
export function filtered(sound: Sound, responses: readonly ArrayLike<number>[], lead: number): Sound {
  const taps = Math.max(...responses.map((r) => r.length));
  const size = powerOfTwoAtLeast(Math.max(4 * taps, LEAST_SIZE));
  const blockFrames = size / 2;
  const spectra = responses.map((response) => forwardReal(response, size));
  let held: { block: number; channels: Float32Array[] } | null = null;

  const blockAt = (block: number): Float32Array[] => {
    if (held?.block === block) return held.channels;
    const from = block * blockFrames + lead - (taps - 1);
    const input = sound.read(from, blockFrames + taps - 1);
    const channels = input.map((channel, c) => {
      const spectrum = forwardReal(channel, size);
      multiplySpectra(spectrum, spectra[c] ?? spectra[0]);
      return Float32Array.from(inverseReal(spectrum).subarray(taps - 1, taps - 1 + blockFrames));
    });
    held = { block, channels };
    return channels;
  };
  const readInside = (from: number, count: number) => fromBlocks(sound.channelCount, blockFrames, blockAt, from, count);
  return asRead(sound, readInside);
}
