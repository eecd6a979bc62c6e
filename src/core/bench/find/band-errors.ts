import { exp, log } from "../../audio/exact-math";
import { factorScaled, solveScaled } from "../../numeric/cholesky";
import type { FittedBand } from "../report";
import { type Band, bandDb, modelAt, type Realised, sizeOf } from "./band-model";
import { type BandsFit, refittedBands } from "./fit-bands";
import { effective } from "./least-squares";

type BandErrors = NonNullable<FittedBand["errors"]>;
/** A curve at some frequencies, and what each of its points is known to (dB). */
export type KnownCurve = {
  hertz: readonly number[];
  magnitudeDb: readonly number[];
  errorDb: readonly number[];
  rateHz: number;
};

/** Neighbouring frequencies are off alike: as if there were a quarter as many. */
const ALIKE = 2;

/**
 * How closely bands are known that were fitted by least squares to a curve whose points are known to so many dB: what each point's error moves them by,
 * σ² = Σ (∂value/∂point · error)², all bands and the gain of all together.
 */
export function bandErrors(
  bands: readonly FittedBand[],
  { hertz, errorDb, rateHz }: Omit<KnownCurve, "magnitudeDb">,
  realised: Realised,
): BandErrors[] {
  const kinds = bands.map((band): Band => ({ kind: band.kind, order: (band.slopeDbPerOctave ?? 12) / 6 }));
  const values = bands.flatMap((band) =>
    band.gainDb === null ? [log(band.hertz)] : [log(band.hertz), band.gainDb, log(band.q ?? 1)],
  );
  const columns = modelAt(hertz, rateHz, realised).partialsOf(kinds)([0, ...values]);
  const size = columns.length;
  const matrix = new Float64Array(size * size);
  for (let a = 0; a < size; a++)
    for (let b = 0; b < size; b++) {
      let sum = 0;
      for (let i = 0; i < hertz.length; i++) sum += columns[a][i] * columns[b][i];
      matrix[a * size + b] = sum;
    }
  const factor = factorScaled(matrix, size);
  const squares = new Float64Array(size);
  const row = new Float64Array(size);
  for (let i = 0; i < hertz.length; i++) {
    for (let a = 0; a < size; a++) row[a] = columns[a][i];
    const moved = solveScaled(factor, row);
    for (let a = 0; a < size; a++) squares[a] += (moved[a] * errorDb[i]) ** 2;
  }
  let at = 1;
  return bands.map((band, b) => {
    const sigma = (n: number) => ALIKE * Math.sqrt(squares[at + n]);
    const isCut = sizeOf(kinds[b]) === 1;
    // Logarithms that are known to σ: the value times that, or e^σ where it is far.
    const share = (n: number) => exp(Math.min(5, sigma(n))) - 1;
    const errors = {
      hertz: band.hertz * share(0),
      gainDb: isCut ? null : sigma(1),
      q: isCut ? null : (band.q ?? 1) * share(2),
    };
    at += sizeOf(kinds[b]);
    return errors;
  });
}

/** Curves known to less than this are not reported for noise (dB). */
const CLEAN_DB = 0.05;
/** A band may be of another kind where that explains the curve as well to three standard deviations: χ² rises by no more. */
const AS_WELL = 9;
const BEGUN_Q = 0.7;
/** Logarithms of frequencies: where the band stands, and half an octave to each side. */
const SHIFTS = [0, -0.35, 0.35];

/** Whether noise leaves open what kind of band some of a fit are: a bell near the end of what is known may be a shelf. */
export function isKindOpen(fit: BandsFit, curve: KnownCurve): boolean {
  const { hertz, magnitudeDb, errorDb, rateHz } = curve;
  if (effective(errorDb) < CLEAN_DB) return false;
  const squares = ({ bands, gainDb, realised }: BandsFit) =>
    hertz.reduce((sum, hz, i) => {
      const told = bands.reduce((db, band) => db + bandDb(band, hz, rateHz, realised ?? "bilinear"), gainDb);
      return sum + ((magnitudeDb[i] - told) / (ALIKE * errorDb[i])) ** 2;
    }, 0);
  const own = Math.min(squares({ ...fit, realised: "bilinear" }), squares({ ...fit, realised: "analogue" }));
  return fit.bands.some((band, b) => {
    if (band.gainDb === null) return false;
    // A shelf turned over is the same curve.
    const others = band.kind === "bell" ? (["low shelf", "high shelf"] as const) : (["bell"] as const);
    return others.some((kind) =>
      SHIFTS.some((shift) => {
        const begun = { ...band, kind, hertz: band.hertz * exp(shift), q: BEGUN_Q };
        return squares(refittedBands(fit.bands.with(b, begun), hertz, magnitudeDb, rateHz)) < own + AS_WELL;
      }),
    );
  });
}
