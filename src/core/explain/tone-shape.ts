import { pow } from "../audio/exact-math";
import { type Averaged, sumOfChannels } from "../spectrum/averaged";
import { bandCentres, bandSums } from "../spectrum/bands";
import { bandTransfer, COHERENT } from "../spectrum/transfer";

/** The part of what a filter does that is told as where it lies. */
const SHARE = 0.8;
/** Under this a filter does nothing, dB. */
const LEAST_DB = 0.05;

/** What a filter does, for a sentence: where most of it lies by energy, and where it moves the level most. */
export type ToneShape = { rangeHz: [number, number]; mostHz: number; mostDb: number };

/**
 * The narrowest run of bands that holds four fifths of the energy that a filter adds or takes, and its largest change where the two go together; at band
 * centres with `perOctave` to the octave. Null where it does next to nothing.
 */
export function toneShape(
  hertz: readonly number[],
  differenceDb: Float64Array,
  coherence: Float64Array,
  powers: Float64Array,
  perOctave: number,
): ToneShape | null {
  const changes = Array.from(differenceDb, (db, i) =>
    Number.isNaN(db) || Math.abs(db) < LEAST_DB ? 0 : powers[i] * (pow(10, db / 20) - 1) ** 2,
  );
  const all = changes.reduce((sum, e) => sum + e, 0);
  if (!(all > 0)) return null;
  let best: [number, number] = [0, changes.length - 1];
  let [from, sum] = [0, 0];
  for (const [to, change] of changes.entries()) {
    sum += change;
    while (sum - changes[from] >= SHARE * all) sum -= changes[from++];
    if (sum >= SHARE * all && to - from < best[1] - best[0]) best = [from, to];
  }
  const half = pow(2, 0.5 / perOctave);
  let most = -1;
  for (const [i, db] of differenceDb.entries())
    if (coherence[i] >= COHERENT && (most < 0 || Math.abs(db) > Math.abs(differenceDb[most]))) most = i;
  return {
    rangeHz: [hertz[best[0]] / half, hertz[best[1]] * half],
    mostHz: most < 0 ? 0 : hertz[most],
    mostDb: most < 0 ? 0 : differenceDb[most],
  };
}

/** Bands to the octave that tone is told in, from 20 Hz to 20 kHz; and the points of a segment it is read with. */
const PER_OCTAVE = 6;
export const TONE_POINTS = 8192;

/** Yonder over Here band by band, less the gain between them, from averaged spectra of both; and its shape. */
export function toneOf(averaged: Averaged, gainDb: number) {
  const rateHz = averaged.sampleRateHz;
  const hertz = bandCentres(PER_OCTAVE, 20, Math.min(20_000, rateHz / 2));
  const { differenceDb: apartDb, coherence } = bandTransfer(averaged, 1, hertz, PER_OCTAVE);
  const differenceDb = apartDb.map((db) => db - gainDb);
  const powers = bandSums(sumOfChannels(averaged.powers[0]), rateHz / averaged.points, hertz, PER_OCTAVE);
  return { hertz, differenceDb, coherence, shape: toneShape(hertz, differenceDb, coherence, powers, PER_OCTAVE) };
}

/** What two differ by in tone once they are at one level: the root mean square of the bands that go together, about their mean, dB; null where none do. */
export function toneApartDb({ differenceDb, coherence }: ReturnType<typeof toneOf>): number | null {
  const known = differenceDb.filter((db, i) => coherence[i] >= COHERENT && Number.isFinite(db));
  if (known.length === 0) return null;
  const mean = known.reduce((sum, db) => sum + db, 0) / known.length;
  return Math.sqrt(known.reduce((sum, db) => sum + (db - mean) ** 2, 0) / known.length);
}
