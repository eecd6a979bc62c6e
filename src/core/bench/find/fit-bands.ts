import { exp } from "../../audio/exact-math";
import type { FittedBand } from "../report";
import { type Band, bandDb, modelAt, type Realised, type State, sizeOf } from "./band-model";
import { bassAndTreble, startAt, startsOn } from "./band-starts";
import { effective } from "./least-squares";
import { regroupedShelves, SHELVES_PART_HZ } from "./real-shelves";

export type BandsFit = {
  bands: FittedBand[];
  gainDb: number;
  realised: Realised | null;
  /** What the bands leave of the curve, dB: effective value, and the most. */
  misfitDb: number;
  mostDb: number;
};

export const MOST_BANDS = 8;
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
/** One way of realising a curve has to fit so many times better than the other to be reported. */
const CLEARLY = 2;
const CLEARLY_DB = 0.03;
const FAR_OFF = 4;
const ITSELF_DB = 0.003;
/** A fit that leaves this is as good as any (dB). */
const HARDLY_DB = 0.015;
/** Bands beyond what is fitted are reported where others leave more than this (dB), and than so many times what the curve is known to. */
const IN_SIGHT_DB = 0.05;
const IN_SIGHT_ERRORS = 2;
/** The search goes by every so many-th frequency, and follows so many of its tries. */
const EVERY = 2;
/** An end this far under the middle was cut (dB). */
const FAR_DOWN_DB = -6;
/** A shelf is turned over where that brings the gain of all nearer to nought by this (dB). */
const LEAST_TURNED_DB = 0.2;
/** A band moves at least so many frequencies. */
const LEAST_SEEN = 4;
const NARROW_Q = 5;
const PROMISING = 8;
/** Goes of each, and those that are followed further. */
const BEGUN_GOES = 1;
const FOLLOWED = 2;
const FOLLOWED_GOES = 6;
/** Bands of more than this, up and down, fight each other (dB). */
const FIGHTING_DB = 12;
type FitOptions = {
  /** A curve that stays within this of a straight line has no bands (dB). */
  flatDb?: number;
  /** What the curve is known to (dB, RMS): the search ends when no more than this is left. */
  enoughDb?: number;
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
  { flatDb = FLAT_DB, enoughDb = ENOUGH_DB }: FitOptions = {},
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
  const options = { enoughDb: Math.max(enoughDb, ENOUGH_DB) };
  const analogue = searchOf(hertz, magnitudeDb, rateHz, "analogue", options)(MOST_BANDS);
  const swapped = finished(analogue.state, hertz, magnitudeDb, rateHz, "bilinear");
  const isOne = analogue.bands.length === 1 && swapped.misfitDb < options.enoughDb;
  // Where one is the curve itself, and squeezed so far off, nothing else has to be looked for. Several may make up what one is the other way.
  const isSettled =
    analogue.bands.length === 1 && analogue.misfitDb < ITSELF_DB && swapped.misfitDb > FAR_OFF * CLEARLY_DB;
  const fits = [
    analogue,
    swapped,
    ...(isOne || isSettled ? [] : [searchOf(hertz, magnitudeDb, rateHz, "bilinear", options)(MOST_BANDS)]),
  ];
  // A band that stands beyond what is fitted is no reading where bands in sight come about as close.
  const isInSight = (fit: BandsFit) => fit.bands.every(({ hertz: centre }) => centre <= FITTED_TO_PART * rateHz);
  const fewer = fits.flatMap((fit) =>
    isInSight(fit) || fit.bands.length < 2 || fit.realised === null
      ? []
      : [searchOf(hertz, magnitudeDb, rateHz, fit.realised, options)(fit.bands.length - 1)],
  );
  const leavesDb = Math.max(IN_SIGHT_DB, IN_SIGHT_ERRORS * enoughDb);
  const inSight = [...fits, ...fewer].filter((fit) => fit.misfitDb < leavesDb && isInSight(fit));
  // Of two that cost as much the closer one.
  const isBetter = (b: BandsFit, a: BandsFit) =>
    costOf(b) < costOf(a) || (costOf(b) === costOf(a) && b.misfitDb < a.misfitDb);
  const grown = (inSight.length > 0 ? inSight : fits).reduce((a, b) => (isBetter(b, a) ? b : a));
  // Wide shelves are made up by other bands, grown one after the other: two are tried together as well.
  const together =
    grown.bands.length < 2
      ? []
      : (["analogue", "bilinear"] as const).flatMap((way) =>
          bassAndTreble(hertz, magnitudeDb).map((start) => finished(startAt(start), hertz, magnitudeDb, rateHz, way)),
        );
  const first = [grown, ...together].reduce((a, b) => (isBetter(b, a) ? b : a));
  const best = withShelvesApart(first, hertz, magnitudeDb, rateHz);
  const others = fits.filter((fit) => fit.realised !== best.realised && fit.bands.length <= best.bands.length);
  // Low down the two are one: it is only reported where the curve tells.
  const isTold =
    best.misfitDb < HARDLY_DB &&
    others.every((fit) => fit.misfitDb > CLEARLY_DB && fit.misfitDb > CLEARLY * best.misfitDb);
  return { ...shown(best), realised: isTold ? best.realised : null };
}

/** The same curve with wide shelves that cross each other regrouped, where that comes as near. */
function withShelvesApart(
  fit: Search,
  hertz: readonly number[],
  magnitudeDb: readonly number[],
  rateHz: number,
): Search {
  const apart = fit.realised && regroupedShelves(fit.bands);
  if (!apart || !fit.realised) return fit;
  const regrouped = finished(startAt(apart), hertz, magnitudeDb, rateHz, fit.realised);
  return regrouped.misfitDb < Math.max(AS_NEAR * fit.misfitDb, ENOUGH_DB) ? regrouped : fit;
}
const AS_NEAR = 1.2;

const NUMBER_COST = 0.01;

/**
 * What a fit leaves, and what its bands cost: a further one has to halve what remains, down to what is hardly there, and so have bands that work hard against
 * each other.
 */
const costOf = ({ misfitDb, bands }: BandsFit): number => {
  const fighting =
    bands.some((b) => (b.gainDb ?? 0) > FIGHTING_DB) && bands.some((b) => (b.gainDb ?? 0) < -FIGHTING_DB);
  // Where two come as near, the one with fewer numbers: a cut has one, all others three.
  const numbers = bands.reduce((sum, { gainDb }) => sum + (gainDb === null ? 1 : 3), 0);
  return Math.max(misfitDb, HARDLY_DB) * 2 ** (bands.length + (fighting ? 2 : 0)) * (1 + NUMBER_COST * numbers);
};

/**
 * Rows of at most so many bands that come near to a curve known to so many dB, as the bilinear transform realises them: asked for one number after the other, bands are grown
 * once.
 */
export function fewBands(
  allHertz: readonly number[],
  allDb: readonly number[],
  rateHz: number,
  enoughDb: number,
): (mostBands: number) => BandsFit {
  const { hertz, magnitudeDb } = fittedPart(allHertz, allDb, rateHz);
  const searched = searchOf(hertz, magnitudeDb, rateHz, "bilinear", { enoughDb: Math.max(enoughDb, ENOUGH_DB) });
  return (mostBands) => shown(searched(mostBands));
}

/** Rows of at most so many bands, realised in one way, that come near to a curve; which comes nearest, what they are set on tells. */
export function nearFits(
  allHertz: readonly number[],
  allDb: readonly number[],
  rateHz: number,
  realised: Realised,
  mostBands: number,
): BandsFit[] {
  const { hertz, magnitudeDb } = fittedPart(allHertz, allDb, rateHz);
  // What the other way comes to may be the better beginning.
  const other: Realised = realised === "bilinear" ? "analogue" : "bilinear";
  return [
    searchOf(hertz, magnitudeDb, rateHz, realised)(mostBands),
    searchOf(hertz, magnitudeDb, rateHz, realised, { isNear: true })(mostBands),
    finished(searchOf(hertz, magnitudeDb, rateHz, other)(mostBands).state, hertz, magnitudeDb, rateHz, realised),
  ].map(shown);
}

/** Bands that are known, such as those of a panel, brought as near to a curve as they come: each keeps its kind. */
export function refittedBands(
  known: readonly FittedBand[],
  allHertz: readonly number[],
  allDb: readonly number[],
  rateHz: number,
): BandsFit {
  const { hertz, magnitudeDb: wanted } = fittedPart(allHertz, allDb, rateHz);
  const start = startAt(known);
  const fits = (["analogue", "bilinear"] as const).map((way) => finished(start, hertz, wanted, rateHz, way, true));
  return shown(fits[1].misfitDb < fits[0].misfitDb ? fits[1] : fits[0]);
}

const shown = ({ state: _, ...fit }: BandsFit & { state: State }): BandsFit => fit;

const leftOf = (residual: readonly number[]) => ({
  misfitDb: effective(residual),
  mostDb: residual.reduce((most, v) => Math.max(most, Math.abs(v)), 0),
});

type Search = BandsFit & { state: State };
/** Fits bands again; no further where a first go is hopelessly far from what is aimed at (dB, effective). */
type Refit = (bands: Band[], values: number[], aimDb: number) => State;

/**
 * Bands are looked for from nothing, and from cuts where an end falls far: the fewer that explain as much are reported, or those that come nearest where it is
 * nearness that is asked for. Answers how many bands there may be at the most.
 */
function searchOf(
  hertz: readonly number[],
  wanted: readonly number[],
  rateHz: number,
  realised: Realised,
  { isNear = false, enoughDb = ENOUGH_DB }: { isNear?: boolean; enoughDb?: number } = {},
): (mostBands: number) => Search {
  const some = hertz.map((_, i) => i).filter((i) => i % EVERY === 0 || i === hertz.length - 1);
  const [fewHertz, few] = [some.map((i) => hertz[i]), some.map((i) => wanted[i])];
  const { curveOf, fitted } = modelAt(fewHertz, rateHz, realised);
  const nothing = fitted([], [few.toSorted((a, b) => a - b)[few.length >> 1]], few, 1);
  const residualOf = (state: State) => {
    const told = curveOf(state.bands)(state.values);
    return few.map((v, i) => v - told[i]);
  };
  /** What one or two cuts come to: where each of them ends, nothing first. */
  const cuts = [nothing];
  for (const kind of ["low cut", "high cut"] as const) {
    const from = cuts[cuts.length - 1];
    const residual = residualOf(from);
    const end = kind === "low cut" ? residual[0] : residual[residual.length - 1];
    if (end > FAR_DOWN_DB) continue;
    const tries = startsOn(fewHertz, residual, rateHz)
      .filter(({ band }) => band.kind === kind)
      .map(({ band, values }) => fitted([...from.bands, band], [...from.values, ...values], few, 3));
    const found = tries.reduce((a, b) => (b.rms < a.rms ? b : a), from);
    if (found.rms < WORTH_IT * from.rms) cuts.push(found);
  }
  /** The same with one band more; itself where none helps. */
  const withNext = (state: State): State => {
    const residual = residualOf(state);
    // Each kind by itself on the residual first; only the most promising are fitted together with all bands found.
    const tries = startsOn(fewHertz, residual, rateHz).map(({ band, values }) =>
      fitted([band], [0, ...values], residual, isNear ? 2 : BEGUN_GOES),
    );
    const promising = tries.toSorted((a, b) => a.rms - b.rms).slice(0, PROMISING);
    const begun = promising.map(({ bands: [band], values }) =>
      fitted(
        [...state.bands, band],
        [state.values[0] + values[0], ...state.values.slice(1), ...values.slice(1)],
        few,
        isNear ? FOLLOWED_GOES : BEGUN_GOES,
      ),
    );
    const next = begun
      .toSorted((a, b) => a.rms - b.rms)
      .slice(0, isNear ? 1 : FOLLOWED)
      .map(({ bands, values }) => fitted(bands, values, few, FOLLOWED_GOES))
      .reduce((a, b) => (b.rms < a.rms ? b : a));
    return next.rms < GROWS * state.rms ? next : state;
  };
  /** Each beginning with all that has been grown from it. */
  const grownFrom = new Map<State, State[]>();
  /** Bands are added one by one, by some of the frequencies; what comes of it is fitted by all. */
  const grown = (from: State, mostBands: number): Search => {
    const states = grownFrom.get(from) ?? [from];
    grownFrom.set(from, states);
    // Two more than are asked for: what they find may do without those before them.
    const most = Math.min(MOST_BANDS, mostBands + 2);
    const isOpen = (s: State) => s.bands.length < most && s.rms > enoughDb;
    let state = from;
    for (let at = 0; isOpen(state); at++) {
      states[at + 1] ??= withNext(state);
      if (states[at + 1] === state) break;
      state = states[at + 1];
    }
    const refitted: Refit = (bands, values, aimDb) => {
      const begun = fitted(bands, values, few, BEGUN_GOES);
      return begun.rms > HOPELESS * aimDb ? begun : fitted(bands, begun.values, few, FOLLOWED_GOES);
    };
    /** Two or three neighbours replaced by one wherever that explains as much: bells against each other make a shelf. */
    const merged = (given: State): State => {
      const places = placesOf(given);
      const order = places.map((_, b) => b).sort((a, b) => places[a] - places[b]);
      for (const many of MERGED_BANDS)
        for (let n = 0; n + many <= order.length; n++) {
          const group = order.slice(n, n + many).sort((a, b) => b - a);
          const others = group.reduce(without, given);
          const residual = residualOf(others);
          const one = startsOn(fewHertz, residual, rateHz)
            .map(({ band, values }) => fitted([band], [0, ...values], residual, 2))
            .reduce((a, b) => (b.rms < a.rms ? b : a));
          const values = [others.values[0] + one.values[0], ...others.values.slice(1), ...one.values.slice(1)];
          const aimDb = Math.max(NEEDLESS * given.rms, MERGED_DB);
          const tried = refitted([...others.bands, ...one.bands], values, aimDb);
          if (tried.rms < aimDb) return merged(tried);
        }
      return given;
    };
    const fewer = withoutNeedless(state, refitted);
    const needed = otherwise(reduced(isNear ? fewer : merged(fewer), mostBands, refitted), refitted);
    return finished(needed, hertz, wanted, rateHz, realised);
  };
  return (mostBands) => {
    const cut = cuts[Math.min(cuts.length - 1, mostBands)];
    if (cut === nothing) return grown(nothing, mostBands);
    const withCuts = grown(cut, mostBands);
    // Where the end was cut and that explains the curve, no row of bells does it better.
    if (withCuts.misfitDb < HARDLY_DB) return withCuts;
    const plain = grown(nothing, mostBands);
    return costOf(withCuts) < costOf(plain) ? withCuts : plain;
  };
}

/** Bands fitted by all frequencies, as they are reported. */
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
  // A shelf is also its counterpart turned over, and a gain: reported is the one that leaves the rest alone.
  const named = asGiven
    ? bands
    : bands.map((band): FittedBand => {
        if (!band.kind.endsWith("shelf") || band.gainDb === null) return band;
        const nearerDb = Math.abs(gainDb) - Math.abs(gainDb + band.gainDb);
        const isOdd = band.hertz > SHELVES_PART_HZ === (band.kind === "low shelf");
        if (nearerDb < LEAST_TURNED_DB && !(isOdd && nearerDb > -LEAST_TURNED_DB)) return band;
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
  if (band.gainDb !== null && Math.abs(band.gainDb) < FLAT_DB) return false;
  const narrow = band.q ?? 0;
  if (narrow > NARROW_Q && band.hertz * (1 + 2 / narrow) > hertz[hertz.length - 1]) return false;
  return hertz.filter((hz) => Math.abs(bandDb(band, hz, rateHz, realised)) > FLAT_DB).length >= LEAST_SEEN;
}

/** Where something is left, each band once more as another kind nearby: a wide bell near the end may be a shelf. */
function otherwise(given: State, refitted: Refit): State {
  let state = given;
  for (let b = 0; b < state.bands.length && state.rms > ENOUGH_DB; b++) {
    if (sizeOf(state.bands[b]) === 1) continue;
    const at = state.bands.slice(0, b).reduce((sum, band) => sum + sizeOf(band), 1);
    for (const kind of SHAPES)
      for (const shift of SHIFTS) {
        const bands = state.bands.with(b, { kind, order: 2 });
        const values = state.values.with(at, state.values[at] + shift).with(at + 2, STEEPEST_LOG_Q);
        if (kind === state.bands[b].kind) continue;
        const tried = refitted(bands, values, WORTH_IT * state.rms);
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
function reduced(given: State, most: number, refitted: Refit): State {
  let state = given;
  while (state.bands.length > most) {
    const from = state;
    state = from.bands
      .map((_, b) => {
        const less = without(from, b);
        return refitted(less.bands, less.values, Number.POSITIVE_INFINITY);
      })
      .reduce((a, b) => (b.rms < a.rms ? b : a));
  }
  return state;
}

/** Logarithms of the bands' frequencies. */
const placesOf = ({ bands, values }: State): number[] => {
  let at = 1;
  return bands.map((band) => {
    const place = values[at];
    at += sizeOf(band);
    return place;
  });
};

/** So many neighbours in frequency may be one band, which may leave so much (dB), and cannot come back from so many times that. */
const MERGED_BANDS = [3, 2];
const MERGED_DB = 0.025;
const HOPELESS = 12;

/** All but one band, as they stand. */
function without({ bands, values, rms }: State, b: number): State {
  const before = bands.slice(0, b).reduce((sum, band) => sum + sizeOf(band), 1);
  return { bands: bands.toSpliced(b, 1), values: values.toSpliced(before, sizeOf(bands[b])), rms };
}

/** A band is needless where what remains grows by no more than this without it. */
const NEEDLESS = 1.15;

/** Bands that can be left out for next to nothing, one after the other. */
function withoutNeedless(given: State, refitted: Refit): State {
  let state = given;
  for (let b = state.bands.length - 1; b >= 0 && state.bands.length > 1; b--) {
    const { bands, values } = without(state, b);
    const aimDb = Math.max(NEEDLESS * state.rms, ENOUGH_DB);
    const less = refitted(bands, values, aimDb);
    if (less.rms < aimDb) state = less;
  }
  return state;
}
