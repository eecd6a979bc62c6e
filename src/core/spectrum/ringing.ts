import { dbFromPower } from "../audio/decibels";
import { inverseReal } from "../audio/fft";

/** An impulse response over its highest point, in dB, sample by sample from `fromSample` on (0 is where time zero lies). */
export type Ringing = {
  fromSample: number;
  levelsDb: Float64Array;
  /** How long it stays above a level before and after its highest point, ms. */
  beforeMs: number;
  afterMs: number;
  underDb: number;
};

/** Ringing is reported down to here: under it lies what averaging leaves. */
const UNDER_DB = -60;
const FLOOR_DB = -120;

/** The impulse response of a filter by taps, tap `lead` being time zero. */
export function ringingOf(taps: ArrayLike<number>, lead: number, rateHz: number): Ringing {
  let top = 0;
  for (let i = 0; i < taps.length; i++) if (Math.abs(taps[i]) > Math.abs(taps[top])) top = i;
  const peak = taps.length > 0 ? Math.abs(taps[top]) : 0;
  const levelsDb = Float64Array.from(taps, (v) =>
    peak > 0 && v !== 0 ? Math.max(FLOOR_DB, dbFromPower((v / peak) ** 2)) : FLOOR_DB,
  );
  let [first, last] = [top, top];
  for (let i = 0; i < levelsDb.length; i++) {
    if (levelsDb[i] < UNDER_DB) continue;
    first = Math.min(first, i);
    last = Math.max(last, i);
  }
  const ms = (samples: number) => (1000 * samples) / rateHz;
  return { fromSample: -lead, levelsDb, beforeMs: ms(top - first), afterMs: ms(last - top), underDb: UNDER_DB };
}

/** Taps of a response given by its bins, time zero in the middle. */
export function tapsOf(response: Float64Array): { taps: Float64Array; lead: number } {
  const impulse = inverseReal(response);
  const half = impulse.length / 2;
  const taps = new Float64Array(impulse.length);
  taps.set(impulse.subarray(half), 0);
  taps.set(impulse.subarray(0, half), half);
  return { taps, lead: half };
}
