import { filteredInto, filteredIntoEach, forwardReal, powerOfTwoAtLeast } from "./fft";

/** A filter: one response for each input, tap `lead` of which counts as time zero. */
export type Filter = { responses: Float64Array[]; lead: number };

/** Blocks are at least this long, so that short filters are not all overhead. */
const LEAST_BLOCK = 16_384;

/** Frames [from, from + size) of a signal, silence outside. */
export function cut(signal: Float64Array, from: number, size: number): Float64Array {
  if (from >= 0 && from + size <= signal.length) return signal.subarray(from, from + size);
  const piece = new Float64Array(size);
  const [first, end] = [Math.max(0, from), Math.min(signal.length, from + size)];
  if (end > first) piece.set(signal.subarray(first, end), first - from);
  return piece;
}

/** A signal through each of several responses of one length by itself, tap `lead` at time zero. */
export function throughEach(signal: Float64Array, responses: readonly Float64Array[], lead: number): Float64Array[] {
  const reach = responses[0].length - 1;
  const size = powerOfTwoAtLeast(Math.max(4 * reach, LEAST_BLOCK));
  const hop = size - reach;
  const spectra = responses.map((h) => forwardReal(h, size));
  const outputs = responses.map(() => new Float64Array(signal.length));
  for (let at = 0; at < signal.length; at += hop) {
    const count = Math.min(hop, signal.length - at);
    filteredIntoEach(cut(signal, at + lead - reach, count + reach), spectra, outputs, { at, from: reach, count });
  }
  return outputs;
}

/** Inputs through a filter, summed: as long as they are. */
export function throughFilter(inputs: readonly Float64Array[], { responses, lead }: Filter): Float64Array {
  const taps = responses[0].length;
  if (taps === 1 && inputs.length === 1) {
    const [factor] = responses[0];
    return inputs[0].map((v) => factor * v);
  }
  const size = powerOfTwoAtLeast(Math.max(4 * taps, LEAST_BLOCK));
  const hop = size - (taps - 1);
  const spectra = responses.map((h) => forwardReal(h, size));
  const output = new Float64Array(inputs[0].length);
  for (let at = 0; at < output.length; at += hop) {
    const count = Math.min(hop, output.length - at);
    const pieces = inputs.map((x) => cut(x, at + lead - (taps - 1), count + taps - 1));
    filteredInto(pieces, spectra, { output, at, from: taps - 1, count });
  }
  return output;
}
