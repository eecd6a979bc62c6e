import {
  type AnalogueSection,
  analoguePower,
  bellSection,
  cutSections,
  highShelfSection,
  lowShelfSection,
} from "../../audio/analogue";
import { exp, log, log10, tan } from "../../audio/exact-math";
import type { FittedBand } from "../report";
import { fittedCurve, type Parameter } from "./least-squares";

export type Kind = FittedBand["kind"];

/** How the curve is realised: as the analogue one, or squeezed towards half the rate by the bilinear transform. */
export type Realised = "analogue" | "bilinear";

/** A small step of a number, by which its effect is felt. */
const DIFFERENCE = 1e-4;
/** Decibels of a small share of a power: 10 / ln 10. */
const DB_OF_SHARE = 10 / Math.LN10;
const LEAST_POWER = 1e-30;
const GAIN_DB = 24;
/** A shelf beyond this is a cut (dB). */
const SHELF_GAIN_DB = 20;
const Q_RANGE = [0.1, 40] as const;

export type Band = { kind: Kind; order: number };
const mostOf = ({ kind }: Band) => (kind === "bell" ? GAIN_DB : SHELF_GAIN_DB);
/** Numbers of a band: log frequency, and for what is no cut gain and log Q. */
export const sizeOf = ({ kind }: Band) => (kind.endsWith("cut") ? 1 : 3);

function sectionsOf({ kind, order }: Band, values: readonly number[], at: number): AnalogueSection[] {
  const hertz = exp(values[at]);
  if (kind === "low cut" || kind === "high cut") return cutSections(kind, hertz, order);
  const shape = { bell: bellSection, "low shelf": lowShelfSection, "high shelf": highShelfSection }[kind];
  return [shape(hertz, values[at + 1], exp(values[at + 2]))];
}

/** Everything at its frequencies, or at those that the bilinear transform takes from: f′ = tan(πf / rate), corners likewise. */
type Scale = (hertz: number) => number;
const scaleOf = (realised: Realised, rateHz: number): Scale =>
  realised === "analogue" ? (hertz) => hertz : (hertz) => tan((Math.PI * Math.min(hertz, 0.4999 * rateHz)) / rateHz);

/** Bands with their numbers, the gain of all first, and what they leave (dB, effective). */
export type State = { bands: Band[]; values: number[]; rms: number };

/** The curve of bands at some frequencies, and how it moves with each of their numbers. */
export function modelAt(hertz: readonly number[], rateHz: number, realised: Realised) {
  const scale = scaleOf(realised, rateHz);
  const places = hertz.map(scale);
  const bandPowers = (band: Band, values: readonly number[], at: number) => {
    const powers = new Float64Array(places.length).fill(1);
    for (const { cornerHz, numerator: n, denominator: d } of sectionsOf(band, values, at)) {
      const corner = scale(cornerHz);
      const [n0, n1, n2, d0, d1, d2] = [n[0], n[1] * n[1], n[2], d[0], d[1] * d[1], d[2]];
      for (let i = 0; i < powers.length; i++) {
        const w = places[i] / corner;
        const square = w * w;
        const [over, under] = [n0 - n2 * square, d0 - d2 * square];
        powers[i] *= (over * over + n1 * square) / (under * under + d1 * square);
      }
    }
    return powers;
  };
  const curveOf = (bands: readonly Band[]) => (values: readonly number[]) => {
    const output = new Float64Array(places.length).fill(1);
    let at = 1;
    for (const band of bands) {
      const own = bandPowers(band, values, at);
      for (let i = 0; i < output.length; i++) output[i] *= own[i];
      at += sizeOf(band);
    }
    for (let i = 0; i < output.length; i++) output[i] = values[0] + 10 * log10(output[i] + LEAST_POWER);
    return output;
  };
  // A number of one band moves that band alone, and so little that its logarithm moves as it does.
  const partialsOf = (bands: readonly Band[]) => (values: readonly number[]) => {
    const columns: Float64Array[] = [new Float64Array(places.length).fill(1)];
    let at = 1;
    for (const band of bands) {
      const own = bandPowers(band, values, at);
      for (let n = 0; n < sizeOf(band); n++) {
        const moved = bandPowers(band, values.with(at + n, values[at + n] + DIFFERENCE), at);
        for (let i = 0; i < moved.length; i++)
          moved[i] = (DB_OF_SHARE * (moved[i] - own[i])) / (DIFFERENCE * (own[i] + LEAST_POWER));
        columns.push(moved);
      }
      at += sizeOf(band);
    }
    return columns;
  };
  const [lowest, highest] = [hertz[0], hertz[hertz.length - 1]];
  const limits = (band: Band, values: readonly number[]): Parameter[] => [
    {
      start: values[0],
      lowest: log(lowest * 0.25),
      highest: log(Math.min(highest * 2, 0.4999 * rateHz)),
      step: DIFFERENCE,
    },
    ...(sizeOf(band) === 3
      ? [
          { start: values[1], lowest: -mostOf(band), highest: mostOf(band), step: DIFFERENCE },
          { start: values[2], lowest: log(Q_RANGE[0]), highest: log(Q_RANGE[1]), step: DIFFERENCE },
        ]
      : []),
  ];
  /** All bands fitted together. */
  const fitted = (bands: Band[], values: readonly number[], wanted: readonly number[], goes: number): State => {
    const parameters: Parameter[] = [{ start: values[0], lowest: -60, highest: 60, step: DIFFERENCE }];
    let at = 1;
    for (const band of bands) {
      parameters.push(...limits(band, values.slice(at, at + sizeOf(band))));
      at += sizeOf(band);
    }
    const found = fittedCurve(parameters, wanted, curveOf(bands), { partials: partialsOf(bands), goes });
    return { bands, values: found.values, rms: found.rms };
  };
  return { curveOf, partialsOf, fitted };
}

/** Magnitude of a band in dB as the analogue curve has it, and as the bilinear transform squeezes it. */
export function bandDb(band: FittedBand, hertz: number, rateHz: number, realised: Realised): number {
  const scale = scaleOf(realised, rateHz);
  const given: Band = { kind: band.kind, order: (band.slopeDbPerOctave ?? 12) / 6 };
  return sectionsOf(given, [log(band.hertz), band.gainDb ?? 0, log(band.q ?? 1)], 0).reduce(
    (sum, section) =>
      sum + 10 * log10(analoguePower({ ...section, cornerHz: scale(section.cornerHz) }, scale(hertz)) + 1e-30),
    0,
  );
}
