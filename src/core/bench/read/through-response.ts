import { forwardReal, inverseReal, multiplySpectra, powerOfTwoAtLeast } from "../../audio/fft";
import { type Impulse, spectrumOf } from "./sweep-response";

/** One response is asked for many parts of a signal: its last spectrum is kept as long as it is. */
const spectrumBy = new WeakMap<ArrayLike<number>, Float64Array>();

function spectrumOfTaps(taps: Float64Array, size: number): Float64Array {
  const known = spectrumBy.get(taps);
  if (known?.length === size + 2) return known;
  const spectrum = forwardReal(taps, size);
  spectrumBy.set(taps, spectrum);
  return spectrum;
}

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
  multiplySpectra(spectrum, spectrumOfTaps(taps, size));
  const output = inverseReal(spectrum);
  // Frame `startFrame` stands `before` after the first, and comes `lead` later than time zero.
  return new Float32Array(output.subarray(before + lead, before + lead + frames));
}

/** What is this far under the strongest is not brought back (power). */
const NOT_BROUGHT_BACK = 1e-5;

/** The response that undoes another, as far as that lets anything through. */
export function undoing(impulse: Impulse): Impulse {
  const spectrum = spectrumOf(impulse);
  let strongest = 0;
  for (let i = 0; i < spectrum.length; i += 2) strongest = Math.max(strongest, spectrum[i] ** 2 + spectrum[i + 1] ** 2);
  for (let i = 0; i < spectrum.length; i += 2) {
    const [re, im] = [spectrum[i], spectrum[i + 1]];
    const power = re * re + im * im + NOT_BROUGHT_BACK * strongest;
    spectrum[i] = re / power;
    spectrum[i + 1] = -im / power;
  }
  const taps = inverseReal(spectrum);
  // As much before time zero as after it.
  const lead = taps.length / 2;
  return { ...impulse, lead, taps: Float64Array.from(taps, (_, i) => taps[(i - lead + taps.length) % taps.length]) };
}
