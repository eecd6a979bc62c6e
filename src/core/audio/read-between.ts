import { readThrough, readThroughInput } from "../kernels/filters";
import { sin } from "./exact-math";
import { asRead, type Sound } from "./sound";
import { kaiserAt, kaiserBeta } from "./window";

/** Samples the filter looks at to each side of a position. */
export const READ_REACH = 64;
const REACH = READ_REACH;
const TAPS = 2 * REACH;
/** Rows of the table; between two of them taps are interpolated linearly, which leaves about −130 dB. */
const PHASES = 2048;
/** Half the rate: nothing has to be kept out, so the band may reach as far up as the taps allow. */
const CUTOFF = 0.5;

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
      const tap = 2 * CUTOFF * (Math.abs(angle) < 1e-12 ? 1 : sin(angle) / angle) * kaiserAt(distance / REACH, beta);
      table[phase * TAPS + k] = tap;
      sum += tap;
    }
    for (let k = 0; k < TAPS; k++) table[phase * TAPS + k] /= sum;
  }
  return table;
}

const filterOf = () => ({ table: tapTable(), taps: TAPS, lead: REACH - 1, phases: PHASES });

/**
 * The signal as it is at `firstPosition + n · stride` for n = 0 … `count` − 1, positions in samples and fractions of them,
 * silence outside: a Kaiser-windowed sinc of 128 taps, flat within 0.01 dB to 0.46 of the rate.
 */
export function readBetween(
  signal: Float32Array,
  firstPosition: number,
  stride: number,
  count: number,
): Float32Array<ArrayBuffer> {
  return readThrough(signal, filterOf(), firstPosition, stride, { count });
}

/** The same of a sound, as it is read: `frames` positions from `firstPosition` on. */
export function soundBetween(source: Sound, firstPosition: number, stride: number, frames: number): Sound {
  const readInside = (first: number, count: number) => {
    const { start, end } = readThroughInput(filterOf(), firstPosition, stride, { first, count });
    const signals = source.read(start, end - start);
    const wanted = { first, count, signalStart: start };
    return signals.map((signal) => readThrough(signal, filterOf(), firstPosition, stride, wanted));
  };
  return asRead({ ...source, frames }, readInside);
}
