import { cos } from "../audio/exact-math";
import { forwardReal, inverseReal, powerOfTwoAtLeast } from "../audio/fft";
import { innerProduct } from "../kernels/sums";

/** A prominent place of a correlation: lag in samples of the given signals, positive when the render is late. */
export type CoarsePeak = { lag: number; value: number };

/**
 * Cross-correlation of two whole signals through the FFT, twice: `whitened` by the phase transform (Knapp and Carter 1976), in which all
 * frequencies count alike and unrelated material comes out as noise of known size; and, when it is asked for, half whitened (the root of
 * each bin's strength), for sound of little bandwidth, whose few bins would be outvoted by those that hold nothing but dither. Each with its
 * `wanted` most prominent places, best first, more than `apart` samples from each other.
 */
export function coarseCorrelations(
  reference: Float32Array,
  render: Float32Array,
  wanted: number,
  apart: number,
): { whitened: CoarsePeak[]; halfWhitened: () => CoarsePeak[] } {
  const size = powerOfTwoAtLeast(reference.length + render.length);
  const cross = forwardReal(withSoftEdges(reference), size);
  multiplyConjugate(cross, forwardReal(withSoftEdges(render), size));
  const peaksBy = (share: 0.5 | 1): CoarsePeak[] => {
    const correlation = inverseReal(whitened(cross, share));
    const lagOf = (index: number) => (index <= render.length ? index : index - size);
    return largestPlaces(correlation, wanted, apart).map((index) => ({ lag: lagOf(index), value: correlation[index] }));
  };
  return { whitened: peaksBy(1), halfWhitened: () => peaksBy(0.5) };
}

/** Samples over which a signal is faded in and out. */
const EDGE_FRAMES = 512;
/** A signal with this share of its energy there is not faded. */
const MOSTLY_ENDS = 0.9;

/**
 * A signal without its DC, faded in and out: cut hard, each end is a click, and two files of one length would be found aligned by their ends
 * whatever lies between.
 */
function withSoftEdges(signal: Float32Array): Float32Array {
  const edge = Math.min(EDGE_FRAMES, signal.length >> 3);
  const mean = signal.reduce((sum, v) => sum + v, 0) / Math.max(1, signal.length);
  const faded = signal.map((v) => v - mean);
  const ends = energyOf(faded.subarray(0, edge)) + energyOf(faded.subarray(faded.length - edge));
  // A single click at the very start is all there is to go by.
  if (ends > MOSTLY_ENDS * energyOf(faded)) return faded;
  for (let i = 0; i < edge; i++) {
    const gain = 0.5 - 0.5 * cos((Math.PI * (i + 0.5)) / edge);
    faded[i] *= gain;
    faded[signal.length - 1 - i] *= gain;
  }
  return faded;
}

const energyOf = (signal: Float32Array): number => innerProduct(signal, signal);

/** Samples whose largest magnitude is kept, so that a second place is found without reading everything again. */
const BLOCK = 4096;

/** Indices of the largest magnitudes, each more than `apart` (round the circle) from those before it. */
function largestPlaces(values: Float64Array, wanted: number, apart: number): number[] {
  const size = values.length;
  const taken: number[] = [];
  const free = (i: number) => taken.every((t) => Math.min(Math.abs(i - t), size - Math.abs(i - t)) > apart);
  const largestIn = (block: number): number => {
    let best = -1;
    let most = 0;
    const end = Math.min(size, (block + 1) * BLOCK);
    for (let i = block * BLOCK; i < end; i++) {
      const magnitude = values[i] < 0 ? -values[i] : values[i];
      if (magnitude > most && free(i)) {
        best = i;
        most = magnitude;
      }
    }
    return best;
  };
  const best = Int32Array.from({ length: Math.ceil(size / BLOCK) }, (_, block) => largestIn(block));
  while (taken.length < wanted) {
    const top = best.reduce((a, b) => (a < 0 || (b >= 0 && Math.abs(values[b]) > Math.abs(values[a])) ? b : a), -1);
    if (top < 0) break;
    taken.push(top);
    // Only blocks whose best lies by the place just taken have to look again.
    for (let block = 0; block < best.length; block++)
      if (best[block] >= 0 && !free(best[block])) best[block] = largestIn(block);
  }
  return taken;
}

/** a ← conj(a) · b, bin by bin. */
function multiplyConjugate(a: Float64Array, b: Float64Array): void {
  for (let i = 0; i < a.length; i += 2) {
    const re = a[i] * b[i] + a[i + 1] * b[i + 1];
    const im = a[i] * b[i + 1] - a[i + 1] * b[i];
    a[i] = re;
    a[i + 1] = im;
  }
}

/** Bins this far under the strongest (power of the cross-spectrum) hold round-off rather than sound. */
const WHITENING_FLOOR = 1e-28;

/** The same phases, magnitudes to the power 1 − `share`; what is only round-off becomes nothing. */
function whitened(cross: Float64Array, share: 0.5 | 1): Float64Array {
  let strongest = 0;
  for (let i = 0; i < cross.length; i += 2) {
    const power = cross[i] * cross[i] + cross[i + 1] * cross[i + 1];
    if (power > strongest) strongest = power;
  }
  const floor = strongest * WHITENING_FLOOR;
  const output = new Float64Array(cross.length);
  for (let i = 0; i < cross.length; i += 2) {
    const power = cross[i] * cross[i] + cross[i + 1] * cross[i + 1];
    if (power <= floor) continue;
    const magnitude = Math.sqrt(power);
    const weight = 1 / (share === 1 ? magnitude : Math.sqrt(magnitude));
    output[i] = cross[i] * weight;
    output[i + 1] = cross[i + 1] * weight;
  }
  return output;
}
