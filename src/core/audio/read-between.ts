import { dotProduct } from "./dot-product";
import { kaiserAt, kaiserBeta } from "./window";

const REACH = 32;
const TAPS = 2 * REACH;
/** Rows of the table; between two of them taps are interpolated linearly, which leaves about −130 dB. */
const PHASES = 2048;
/** Cut-off in parts of the rate: a little under half, so that the transition band is done with at half the rate. */
const CUTOFF = 0.48;

let table: Float64Array | null = null;

function tapTable(): Float64Array {
  if (table) return table;
  const beta = kaiserBeta(120);
  table = new Float64Array((PHASES + 1) * TAPS);
  for (let phase = 0; phase <= PHASES; phase++) {
    let sum = 0;
    for (let k = 0; k < TAPS; k++) {
      const distance = k - (REACH - 1) - phase / PHASES;
      const angle = 2 * Math.PI * CUTOFF * distance;
      const tap =
        2 * CUTOFF * (Math.abs(angle) < 1e-12 ? 1 : Math.sin(angle) / angle) * kaiserAt(distance / REACH, beta);
      table[phase * TAPS + k] = tap;
      sum += tap;
    }
    for (let k = 0; k < TAPS; k++) table[phase * TAPS + k] /= sum;
  }
  return table;
}

/**
 * The signal as it is at `firstPosition + n · stride` for n = 0 … `count` − 1, positions in samples and fractions of them,
 * silence outside: a Kaiser-windowed sinc of 64 taps, flat within 0.01 dB to about 0.44 of the rate.
 */
export function readBetween(
  signal: Float32Array,
  firstPosition: number,
  stride: number,
  count: number,
): Float32Array<ArrayBuffer> {
  const taps = tapTable();
  const padded = new Float32Array(signal.length + 2 * TAPS);
  padded.set(signal, TAPS);
  const output = new Float32Array(count);
  for (let n = 0; n < count; n++) {
    const position = firstPosition + n * stride;
    const whole = Math.floor(position);
    const from = whole - (REACH - 1) + TAPS;
    if (from < 0 || from + TAPS > padded.length) continue;
    const place = (position - whole) * PHASES;
    const row = Math.floor(place);
    const below = dotProduct(padded, from, taps, row * TAPS, TAPS);
    const above = dotProduct(padded, from, taps, (row + 1) * TAPS, TAPS);
    output[n] = below + (place - row) * (above - below);
  }
  return output;
}
