import type { Averaged } from "../spectrum/averaged";
import { bandCentres } from "../spectrum/bands";
import { bandTransfer, COHERENT } from "../spectrum/transfer";

/** Bands to the octave that tone is reported in, from 20 Hz to 20 kHz; and the points of a segment it is read with. */
const PER_OCTAVE = 6;
export const TONE_POINTS = 8192;

/** Yonder over Here band by band, less the gain between them, from averaged spectra of both. */
export function toneOf(averaged: Averaged, gainDb: number) {
  const rateHz = averaged.sampleRateHz;
  const hertz = bandCentres(PER_OCTAVE, 20, Math.min(20_000, rateHz / 2));
  const { differenceDb: apartDb, coherence } = bandTransfer(averaged, 1, hertz, PER_OCTAVE);
  const differenceDb = apartDb.map((db) => db - gainDb);
  return { hertz, differenceDb, coherence };
}

/** What two differ by in tone once they are at one level: the root mean square of the bands that go together, about their mean, dB; null where none do. */
export function eqDifferenceDb({ differenceDb, coherence }: ReturnType<typeof toneOf>): number | null {
  const known = differenceDb.filter((db, i) => coherence[i] >= COHERENT && Number.isFinite(db));
  if (known.length === 0) return null;
  const mean = known.reduce((sum, db) => sum + db, 0) / known.length;
  return Math.sqrt(known.reduce((sum, db) => sum + (db - mean) ** 2, 0) / known.length);
}
