import {
  type AnalogueSection,
  analoguePower,
  bellSection,
  cutSections,
  highShelfSection,
  lowShelfSection,
} from "../audio/analogue";
import { exp, log, log10, tan } from "../audio/exact-math";
import { fittedCurve, type Parameter } from "./least-squares";
import type { FittedBand } from "./report";

type Kind = FittedBand["kind"];

/** How the curve is realised: as the analogue one, or squeezed towards half the rate by the bilinear transform. */
export type Realised = "analogue" | "bilinear";

export type BandsFit = {
  bands: FittedBand[];
  gainDb: number;
  realised: Realised | null;
  /** What the bands leave of the curve, dB: effective value, and the most. */
  misfitDb: number;
  mostDb: number;
};

export const MOST_BANDS = 8;
const ORDERS = [1, 2, 3, 4, 6, 8];
/** A curve that stays within this of a straight line has no bands (dB). */
const FLAT_DB = 0.05;
/** What lies above this part of the rate is the edge of converters and oversampling. */
export const FITTED_TO_PART = 0.42;
/** What lies this far under the highest is hardly heard, and measured among round-off and noise (dB). */
export const FITTED_DEPTH_DB = 70;
/** The search ends when this is left (dB, effective), or when a further band leaves more than this share of it. */
const ENOUGH_DB = 0.008;
const GROWS = 0.93;
/** A cut to begin with, or another kind of band, has to leave less than this share. */
const WORTH_IT = 0.8;
/** One way of realising a curve has to fit so many times better than the other to be told. */
const CLEARLY = 2;
const CLEARLY_DB = 0.03;
/** A fit that leaves this is as good as any (dB). */
const HARDLY_DB = 0.015;
/** The search goes by every so many-th frequency, and follows so many of its tries. */
const EVERY = 2;
/** An end this far under the middle was cut (dB). */
const FAR_DOWN_DB = -6;
/** A shelf is turned over where that brings the gain of all nearer to nought by this (dB). */
const LEAST_TURNED_DB = 0.2;
/** A band moves at least so many frequencies. */
const LEAST_SEEN = 4;
const NARROW_Q = 5;
const PROMISING = 6;
const FOLLOWED_GOES = 6;
/** A small step of a number, by which its effect is felt. */
const DIFFERENCE = 1e-4;
const GAIN_DB = 24;
/** Bands of more than this, up and down, fight each other (dB). */
const FIGHTING_DB = 12;
/** A shelf beyond this is a cut (dB). */
const SHELF_GAIN_DB = 20;
const Q_RANGE = [0.1, 40] as const;

type Band = { kind: Kind; order: number };
const mostOf = ({ kind }: Band) => (kind === "bell" ? GAIN_DB : SHELF_GAIN_DB);
/** Numbers of a band: log frequency, and for what is no cut gain and log Q. */
const sizeOf = ({ kind }: Band) => (kind.endsWith("cut") ? 1 : 3);

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

type FitOptions = {
  /** A curve that stays within this of a straight line has no bands (dB). */
  flatDb?: number;
  /** The one way of realising bands that there is, where it is given. */
  realised?: Realised;
  mostBands?: number;
};

/** The part of a curve that bands are fitted to. */
function fittedPart(allHertz: readonly number[], allDb: readonly number[], rateHz: number) {
  const floor = Math.max(...allDb) - FITTED_DEPTH_DB;
  const inside = allHertz.map((_, i) => i).filter((i) => allHertz[i] <= FITTED_TO_PART * rateHz && allDb[i] > floor);
  return { hertz: inside.map((i) => allHertz[i]), magnitudeDb: inside.map((i) => allDb[i]) };
}

/** Fits at most eight bells, shelves and cuts, as few as will do, to magnitudes in dB at rising frequencies. */
export function fittedBands(
  allHertz: readonly number[],
  allDb: readonly number[],
  rateHz: number,
  { flatDb = FLAT_DB, realised, mostBands = MOST_BANDS }: FitOptions = {},
): BandsFit {
  const { hertz, magnitudeDb } = fittedPart(allHertz, allDb, rateHz);
  const middle = magnitudeDb.toSorted((a, b) => a - b)[magnitudeDb.length >> 1] ?? 0;
  const plain: BandsFit = {
    bands: [],
    gainDb: middle,
    realised: null,
    ...leftOf(magnitudeDb.map((db) => db - middle)),
  };
  if (plain.mostDb < flatDb) return plain;
  if (realised) {
    // What the other way comes to may be the better beginning, and what is found with more bands may need no more than these.
    const other: Realised = realised === "bilinear" ? "analogue" : "bilinear";
    const fits = [...new Set([mostBands, MOST_BANDS])].flatMap((most) => [
      search(hertz, magnitudeDb, rateHz, realised, most),
      finished(search(hertz, magnitudeDb, rateHz, other, most).state, hertz, magnitudeDb, rateHz, realised),
    ]);
    return shown(
      fits.filter(({ bands }) => bands.length <= mostBands).reduce((a, b) => (costOf(b) < costOf(a) ? b : a)),
    );
  }
  const analogue = search(hertz, magnitudeDb, rateHz, "analogue");
  const swapped = finished(analogue.state, hertz, magnitudeDb, rateHz, "bilinear");
  const isOne = analogue.bands.length === 1 && swapped.misfitDb < ENOUGH_DB;
  const fits = [analogue, swapped, ...(isOne ? [] : [search(hertz, magnitudeDb, rateHz, "bilinear")])];
  const best = fits.reduce((a, b) => (costOf(b) < costOf(a) ? b : a));
  const others = fits.filter((fit) => fit.realised !== best.realised && fit.bands.length <= best.bands.length);
  // Low down the two are one: it is only told where the curve tells.
  const isTold =
    best.misfitDb < HARDLY_DB &&
    others.every((fit) => fit.misfitDb > CLEARLY_DB && fit.misfitDb > CLEARLY * best.misfitDb);
  return { ...shown(best), realised: isTold ? best.realised : null };
}

/**
 * What a fit leaves, and what its bands cost: a further one has to halve what is left, down to what is hardly there, and so have bands that work hard against
 * each other.
 */
const costOf = ({ misfitDb, bands }: BandsFit): number => {
  const fighting =
    bands.some((b) => (b.gainDb ?? 0) > FIGHTING_DB) && bands.some((b) => (b.gainDb ?? 0) < -FIGHTING_DB);
  return Math.max(misfitDb, HARDLY_DB) * 2 ** (bands.length + (fighting ? 2 : 0));
};

/** Bands that are known, such as those of a panel, brought as near to a curve as they come: each keeps its kind. */
export function refittedBands(
  known: readonly FittedBand[],
  allHertz: readonly number[],
  allDb: readonly number[],
  rateHz: number,
): BandsFit {
  const { hertz, magnitudeDb: wanted } = fittedPart(allHertz, allDb, rateHz);
  const bands = known.map((band): Band => ({ kind: band.kind, order: (band.slopeDbPerOctave ?? 12) / 6 }));
  const values = known.flatMap((band) =>
    band.gainDb === null ? [log(band.hertz)] : [log(band.hertz), band.gainDb, log(band.q ?? 1)],
  );
  const start: State = { bands, values: [0, ...values], rms: 0 };
  const fits = (["analogue", "bilinear"] as const).map((way) => finished(start, hertz, wanted, rateHz, way, true));
  return shown(fits[1].misfitDb < fits[0].misfitDb ? fits[1] : fits[0]);
}

const shown = ({ state: _, ...fit }: BandsFit & { state: State }): BandsFit => fit;

const leftOf = (residual: readonly number[]) => ({
  misfitDb: Math.sqrt(residual.reduce((sum, v) => sum + v * v, 0) / residual.length),
  mostDb: residual.reduce((most, v) => Math.max(most, Math.abs(v)), 0),
});

type State = { bands: Band[]; values: number[]; rms: number };

/** The curve of bands at some frequencies, and how it moves with each of their numbers. */
function modelAt(hertz: readonly number[], rateHz: number, realised: Realised) {
  const scale = scaleOf(realised, rateHz);
  const places = hertz.map(scale);
  const bandCurve = (band: Band, values: readonly number[], at: number) => {
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
    for (let i = 0; i < powers.length; i++) powers[i] = 10 * log10(powers[i] + 1e-30);
    return powers;
  };
  const curveOf = (bands: readonly Band[]) => (values: readonly number[]) => {
    const output = new Float64Array(places.length).fill(values[0]);
    let at = 1;
    for (const band of bands) {
      const own = bandCurve(band, values, at);
      for (let i = 0; i < output.length; i++) output[i] += own[i];
      at += sizeOf(band);
    }
    return output;
  };
  // A number of one band moves that band alone.
  const partialsOf = (bands: readonly Band[]) => (values: readonly number[]) => {
    const columns: Float64Array[] = [new Float64Array(places.length).fill(1)];
    let at = 1;
    for (const band of bands) {
      const own = bandCurve(band, values, at);
      for (let n = 0; n < sizeOf(band); n++) {
        const moved = bandCurve(band, values.with(at + n, values[at + n] + DIFFERENCE), at);
        for (let i = 0; i < moved.length; i++) moved[i] = (moved[i] - own[i]) / DIFFERENCE;
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
  return { curveOf, fitted };
}

type Search = BandsFit & { state: State };

/** Bands are looked for from nothing, and from cuts where an end falls far: the fewer that explain as much are told. */
function search(
  hertz: readonly number[],
  wanted: readonly number[],
  rateHz: number,
  realised: Realised,
  mostBands = MOST_BANDS,
): Search {
  const some = hertz.map((_, i) => i).filter((i) => i % EVERY === 0 || i === hertz.length - 1);
  const [fewHertz, few] = [some.map((i) => hertz[i]), some.map((i) => wanted[i])];
  const { curveOf, fitted } = modelAt(fewHertz, rateHz, realised);
  const nothing = fitted([], [few.toSorted((a, b) => a - b)[few.length >> 1]], few, 1);
  const residualOf = (state: State) => {
    const told = curveOf(state.bands)(state.values);
    return few.map((v, i) => v - told[i]);
  };
  let cut = nothing;
  for (const kind of ["low cut", "high cut"] as const) {
    if (cut.bands.length === mostBands) break;
    const residual = residualOf(cut);
    const end = kind === "low cut" ? residual[0] : residual[residual.length - 1];
    if (end > FAR_DOWN_DB) continue;
    const from = cut;
    const tries = startsOn(fewHertz, residual, rateHz)
      .filter(({ band }) => band.kind === kind)
      .map(({ band, values }) => fitted([...from.bands, band], [...from.values, ...values], few, 3));
    const found = tries.reduce((a, b) => (b.rms < a.rms ? b : a), from);
    if (found.rms < WORTH_IT * from.rms) cut = found;
  }
  /** Bands are added one by one, by some of the frequencies; what comes of it is fitted by all. */
  const grown = (from: State): Search => {
    let state = from;
    // Two more than are asked for: what they find may do without those before them.
    while (state.bands.length < Math.min(MOST_BANDS, mostBands + 2) && state.rms > ENOUGH_DB) {
      const residual = residualOf(state);
      // Each kind by itself on what is left first; only the most promising are fitted with all that is there.
      const tries = startsOn(fewHertz, residual, rateHz).map(({ band, values }) =>
        fitted([band], [0, ...values], residual, 2),
      );
      const promising = tries.toSorted((a, b) => a.rms - b.rms).slice(0, PROMISING);
      const next = promising
        .map(({ bands: [band], values }) =>
          fitted(
            [...state.bands, band],
            [state.values[0] + values[0], ...state.values.slice(1), ...values.slice(1)],
            few,
            FOLLOWED_GOES,
          ),
        )
        .reduce((a, b) => (b.rms < a.rms ? b : a));
      if (!(next.rms < GROWS * state.rms)) break;
      state = next;
    }
    const refitted = (bands: Band[], values: number[]) => fitted(bands, values, few, FOLLOWED_GOES);
    const needed = otherwise(reduced(withoutNeedless(state, refitted), mostBands, refitted), refitted);
    return finished(needed, hertz, wanted, rateHz, realised);
  };
  const plain = grown(nothing);
  if (cut === nothing) return plain;
  const withCuts = grown(cut);
  return costOf(withCuts) < costOf(plain) ? withCuts : plain;
}

/** Bands fitted by all frequencies, as they are told. */
function finished(
  given: State,
  hertz: readonly number[],
  wanted: readonly number[],
  rateHz: number,
  realised: Realised,
  asGiven = false,
): Search {
  const { curveOf, fitted } = modelAt(hertz, rateHz, realised);
  const state = fitted(given.bands, given.values, wanted, 12);
  const told = curveOf(state.bands)(state.values);
  let at = 1;
  const bands = state.bands.map((band): FittedBand => {
    const isCut = sizeOf(band) === 1;
    const found = {
      kind: band.kind,
      hertz: exp(state.values[at]),
      gainDb: isCut ? null : state.values[at + 1],
      q: isCut ? null : exp(state.values[at + 2]),
      slopeDbPerOctave: isCut ? 6 * band.order : null,
    };
    at += sizeOf(band);
    return found;
  });
  let gainDb = state.values[0];
  // A shelf is also its counterpart turned over, and a gain: told is the one that leaves the rest alone.
  const named = asGiven
    ? bands
    : bands.map((band): FittedBand => {
        if (!band.kind.endsWith("shelf") || band.gainDb === null) return band;
        if (Math.abs(gainDb + band.gainDb) > Math.abs(gainDb) - LEAST_TURNED_DB) return band;
        gainDb += band.gainDb;
        return { ...band, kind: band.kind === "low shelf" ? "high shelf" : "low shelf", gainDb: -band.gainDb };
      });
  return {
    bands: asGiven
      ? named
      : named.filter((band) => isSeen(band, hertz, rateHz, realised)).sort((a, b) => a.hertz - b.hertz),
    gainDb,
    realised,
    state,
    ...leftOf(wanted.map((v, i) => v - told[i])),
  };
}

/** Whether a band moves more than a few of the frequencies: what is narrower than that, or beyond them, is the edge of something else. */
function isSeen(band: FittedBand, hertz: readonly number[], rateHz: number, realised: Realised): boolean {
  const narrow = band.q ?? 0;
  if (narrow > NARROW_Q && band.hertz * (1 + 2 / narrow) > hertz[hertz.length - 1]) return false;
  return hertz.filter((hz) => Math.abs(bandDb(band, hz, rateHz, realised)) > FLAT_DB).length >= LEAST_SEEN;
}

/** Where something is left, each band once more as another kind nearby: a wide bell near the end may be a shelf. */
function otherwise(given: State, refitted: (bands: Band[], values: number[]) => State): State {
  let state = given;
  for (let b = 0; b < state.bands.length && state.rms > ENOUGH_DB; b++) {
    if (sizeOf(state.bands[b]) === 1) continue;
    const at = state.bands.slice(0, b).reduce((sum, band) => sum + sizeOf(band), 1);
    for (const kind of SHAPES)
      for (const shift of SHIFTS) {
        const bands = state.bands.with(b, { kind, order: 2 });
        const values = state.values.with(at, state.values[at] + shift).with(at + 2, STEEPEST_LOG_Q);
        if (kind === state.bands[b].kind) continue;
        const tried = refitted(bands, values);
        if (tried.rms < WORTH_IT * state.rms) state = tried;
      }
  }
  return state;
}
const SHAPES = ["bell", "low shelf", "high shelf"] as const;
/** Logarithms of frequencies: where the band stands, and two thirds of an octave to each side. */
const SHIFTS = [0, -0.46, 0.46];
const STEEPEST_LOG_Q = -0.34;

/** No more bands than some, those left out whose loss costs least. */
function reduced(given: State, most: number, refitted: (bands: Band[], values: number[]) => State): State {
  let state = given;
  while (state.bands.length > most) {
    const { bands, values } = state;
    state = bands
      .map((band, b) => {
        const before = bands.slice(0, b).reduce((sum, other) => sum + sizeOf(other), 1);
        return refitted(bands.toSpliced(b, 1), values.toSpliced(before, sizeOf(band)));
      })
      .reduce((a, b) => (b.rms < a.rms ? b : a));
  }
  return state;
}

/** Bands that can be left out for next to nothing, one after the other. */
function withoutNeedless(given: State, refitted: (bands: Band[], values: number[]) => State): State {
  let state = given;
  for (let b = state.bands.length - 1; b >= 0 && state.bands.length > 1; b--) {
    const before = state.bands.slice(0, b).reduce((sum, band) => sum + sizeOf(band), 1);
    const values = state.values.toSpliced(before, sizeOf(state.bands[b]));
    const less = refitted(state.bands.toSpliced(b, 1), values);
    if (less.rms < Math.max(1.15 * state.rms, ENOUGH_DB)) state = less;
  }
  return state;
}

/** Where a further band may begin: a bell where most is left, shelves and cuts by what is left at either end. */
function startsOn(hertz: readonly number[], residual: readonly number[], rateHz: number) {
  const starts: { band: Band; values: number[] }[] = [];
  const n = hertz.length;
  const middle = residual.toSorted((a, b) => a - b)[n >> 1];
  const farthest = (from: number, to: number) => {
    let top = from;
    for (let i = from; i < to; i++) if (Math.abs(residual[i] - middle) > Math.abs(residual[top] - middle)) top = i;
    return top;
  };
  const tops = new Set([farthest(0, n), farthest(0, n >> 1), farthest(n >> 1, n)]);
  for (const top of tops)
    for (const q of [0.7, 4])
      starts.push({ band: { kind: "bell", order: 2 }, values: [log(hertz[top]), residual[top], log(q)] });
  for (const [kind, end, order] of [
    ["low shelf", residual[0], 2],
    ["high shelf", residual[n - 1], 2],
  ] as const) {
    if (Math.abs(end - middle) < 0.02) continue;
    for (const part of kind === "low shelf" ? [0.12, 0.25, 0.4, 0.6] : [0.45, 0.65, 0.8, 0.92])
      starts.push({ band: { kind, order }, values: [log(hertz[Math.floor(part * n)]), end - middle, log(0.71)] });
  }
  for (const kind of ["low cut", "high cut"] as const) {
    const end = kind === "low cut" ? residual[0] : residual[n - 1];
    if (end > middle - 0.1) continue;
    // Where it passes 3 dB.
    const at =
      kind === "low cut" ? residual.findIndex((v) => v > middle - 3) : residual.findLastIndex((v) => v > middle - 3);
    if (at < 0) continue;
    if (end > middle - 3) {
      // Its corner lies beyond what was measured.
      const beyond = kind === "low cut" ? 0.4 * hertz[0] : Math.min(1.8 * hertz[n - 1], 0.499 * rateHz);
      for (const order of [1, 2]) starts.push({ band: { kind, order }, values: [log(beyond)] });
      continue;
    }
    for (const order of ORDERS)
      starts.push({ band: { kind, order }, values: [log(Math.min(hertz[at], 0.49 * rateHz))] });
  }
  return starts;
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
