import { forwardReal, inverseReal, multiplySpectra, powerOfTwoAtLeast } from "../../audio/fft";
import type { Impulse } from "./sweep-response";

/** What a linear response makes of some frames of a signal: all that rings into them is heard. */
export function throughResponse(
  signal: Float32Array,
  { taps, lead }: Impulse,
  startFrame: number,
  frames: number,
): Float32Array {
  const before = taps.length - lead;
  const from = startFrame - before;
  const length = frames + taps.length;
  const size = powerOfTwoAtLeast(length + taps.length);
  const input = new Float32Array(length);
  for (let i = Math.max(0, -from); i < length && from + i < signal.length; i++) input[i] = signal[from + i];
  const spectrum = forwardReal(input, size);
  multiplySpectra(spectrum, forwardReal(taps, size));
  const output = inverseReal(spectrum);
  // Frame `startFrame` stands `before` after the first, and comes `lead` later than time zero.
  return Float32Array.from({ length: frames }, (_, i) => output[i + before + lead]);
}
