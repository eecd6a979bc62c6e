import {
  type AnalogueSection,
  bellSection,
  bilinear,
  cutSections,
  highShelfSection,
  lowShelfSection,
  matched,
} from "../audio/analogue";
import { type Biquad, biquadMagnitudeDb } from "../audio/biquad";
import { amplitudeFromDb } from "../audio/decibels";
import { pow } from "../audio/exact-math";
import type { BandsFit } from "../bench/find/fit-bands";
import type { FittedBand } from "../bench/report";

function sectionsOf({ kind, hertz, gainDb, q, slopeDbPerOctave }: FittedBand): AnalogueSection[] {
  if (kind === "low cut" || kind === "high cut") return cutSections(kind, hertz, (slopeDbPerOctave ?? 12) / 6);
  const shape = { bell: bellSection, "low shelf": lowShelfSection, "high shelf": highShelfSection }[kind];
  return [shape(hertz, gainDb ?? 0, q ?? 1)];
}

/** Bands as biquads; as the bilinear transform makes them unless the curve says that they are not squeezed. */
export function biquadsOf({ bands, gainDb, realised }: BandsFit, rateHz: number): Biquad[] {
  const make = realised === "analogue" ? matched : bilinear;
  const gain = amplitudeFromDb(gainDb);
  const sections = bands
    .flatMap(sectionsOf)
    .map((section) => ({ ...section, cornerHz: Math.min(section.cornerHz, 0.495 * rateHz) }))
    .map((section) => make(section, rateHz));
  if (sections.length === 0) return [{ b0: gain, b1: 0, b2: 0, a1: 0, a2: 0 }];
  const [first, ...others] = sections;
  return [{ ...first, b0: gain * first.b0, b1: gain * first.b1, b2: gain * first.b2 }, ...others];
}

/** A curve at some frequencies. */
export type BandCurve = { hertz: readonly number[]; gainDb: readonly number[] };

/** By how much bands miss a curve at each frequency, dB. */
export function missesOf(fit: BandsFit, { hertz, gainDb }: BandCurve, rateHz: number): number[] {
  const row = biquadsOf(fit, rateHz);
  return hertz.map((hz, i) => row.reduce((db, section) => db + biquadMagnitudeDb(section, hz, rateHz), 0) - gainDb[i]);
}

/** RMS of that. */
export function misfitOf(fit: BandsFit, curve: BandCurve, rateHz: number): number {
  const squares = missesOf(fit, curve, rateHz).reduce((sum, db) => sum + db * db, 0);
  return Math.sqrt(squares / Math.max(1, curve.hertz.length));
}

export type Cut = "low cut" | "high cut";

/** A curve as each kind of repeated cut, beside other bands: where each of them takes 3 dB. */
export function cutsRepeated(kind: Cut, beside: readonly FittedBand[], curve: BandCurve, rateHz: number): BandsFit[] {
  const { hertz, gainDb } = curve;
  // The gain far from the cut: that of a fit leans on a shape that is not the cut's.
  const far = gainDb.filter((_, i) => (kind === "low cut") === i > hertz.length / 2);
  const passDb = far.toSorted((a, b) => a - b)[far.length >> 1] ?? 0;
  return REPEATS.map(([times, slopeDbPerOctave]): BandsFit => {
    const corner = crossing(curve, passDb - 3.0103 * times);
    const one: FittedBand = { kind, hertz: corner, gainDb: null, q: null, slopeDbPerOctave };
    const bands = [...beside, ...Array.from({ length: times }, () => one)];
    const own: BandsFit = { bands, gainDb: passDb, realised: null, misfitDb: 0, mostDb: 0 };
    return { ...own, misfitDb: misfitOf(own, curve, rateHz) };
  });
}

/** The frequency at which a curve comes nearest to a gain, between two of its points by a straight line of gain over the logarithm of frequency. */
function crossing({ hertz, gainDb }: BandCurve, db: number): number {
  for (let i = 0; i + 1 < hertz.length; i++) {
    const [a, b] = [gainDb[i] - db, gainDb[i + 1] - db];
    if (a * b < 0) return hertz[i] * pow(hertz[i + 1] / hertz[i], a / (a - b));
  }
  const off = gainDb.map((own) => Math.abs(own - db));
  return hertz[off.indexOf(Math.min(...off))];
}

/** Bands that end in a cut as one cut over and over, where that makes the curve as well, at each frequency; else as they are: a narrow bell beside a cut stays. */
export function asRepeatedCut(fit: BandsFit, curve: BandCurve, rateHz: number, enoughDb: number): BandsFit {
  const cut = fit.bands.find(({ kind }) => kind.endsWith("cut"));
  if (!cut || fit.bands.length < 2) return fit;
  const tries = cutsRepeated(cut.kind as Cut, [], curve, rateHz);
  const best = tries.reduce((a, b) => (b.misfitDb < a.misfitDb ? b : a));
  const most = (of: BandsFit) => Math.max(...missesOf(of, curve, rateHz).map(Math.abs));
  const isAsGood =
    best.misfitDb < Math.max(enoughDb, fit.misfitDb) && most(best) < Math.max(MOST_OF_ENOUGH * enoughDb, most(fit));
  return isAsGood ? best : fit;
}
/** No frequency is missed by more than so many times what is enough on average. */
const MOST_OF_ENOUGH = 4;

/** So many cuts of so many dB an octave: stages in a row, and Linkwitz and Riley's of 48 (common practice). */
export const REPEATS = [
  [1, 12],
  [2, 12],
  [3, 12],
  [4, 12],
  [2, 24],
] as const;
