import { dbFromAmplitude, dbFromPower } from "../audio/decibels";
import { log10 } from "../audio/exact-math";
import type { FittedBand } from "../bench/report";
import { aliasingOf } from "./aliasing";
import { biquadsOf } from "./band-sections";
import type { CauseChannels, CauseFound, EqCause } from "./causes";
import { aroundStage } from "./chain-fit";
import {
  type EqReading,
  eqHertz,
  FLAT_SHAPE_DB,
  gainErrors,
  isMinimum,
  MOST_ERROR_DB,
  readEq,
  responseOfBiquads,
  responseOfStage,
} from "./eq-response";
import { gainsOf } from "./gain-curve";
import { isByFrequency } from "./gain-fit";
import { lateEnergyOf } from "./late-energy";
import { areOne, flatApart, isOneShape, knownBest, servesBoth } from "./one-curve";
import { energyOf, type PairSignals } from "./pair-signals";
import { pairTransfer } from "./pair-transfer";
import type { Domain } from "./routing";
import { safeSlope, saturated, slopeOf } from "./saturation-curve";
import { ablate, type Pause, type Search } from "./search-basics";
import {
  type CascadeStage,
  type Chain,
  causeOf,
  type FilterStage,
  ofChannel,
  type SaturationStage,
  type Signals,
  throughChain,
  throughStage,
} from "./stages";

/** A stage that the chain loses less than this without (dB) is not there: the more is left unexplained, the more a stage may gain by chance. */
const LEAST_WORTH_DB: readonly [leftShare: number, worthDb: number][] = [
  [1e-4, 1],
  [1e-3, 2],
  [Number.POSITIVE_INFINITY, 4],
];
/** Nor is a filter of free taps beside a gain that moves or a curve, or another filter: it takes on a little of what those leave. */
const LEAST_WORTH_BESIDE_DB = 4;
const leastWorthDb = (chain: Chain, place: number, leftShare: number): number => {
  const isFree = chain[place].kind === "filter" && chain.length > 1;
  const own = LEAST_WORTH_DB.find(([share]) => leftShare < share)?.[1] ?? 4;
  return isFree ? Math.max(own, LEAST_WORTH_BESIDE_DB) : own;
};
/** Nor is one without which no more than this is left (−85 dB re Yonder). */
const NEXT_TO_NOTHING = 3e-9;
/** A gain over time that moves by less than this in a channel does not move there (dB). */
const LEAST_RANGE_DB = 0.2;
/** And beside a curve, where a gain may stand for a little of it. */
const LEAST_RANGE_BESIDE_CURVE_DB = 0.5;
/** Of the gains over time, this part at each end is not reported as range. */
const RANGE_TAIL = 0.05;
/** And where it does not move within those, this part. */
const SELDOM_TAIL = 0.002;
/** A balance or width under this is none (dB). */
const LEAST_BALANCE_DB = 0.05;
/** Harmonics under this re Yonder are what single precision leaves. */
const LEAST_HARMONICS_DB = -110;
/** Nor are those so far below the residual. */
const UNDER_RESIDUAL_DB = 10;

const NAMES: Record<Domain, [CauseChannels, CauseChannels]> = {
  "left-right": ["left", "right"],
  "mid-side": ["mid", "side"],
};

/** A chain without the stages that it loses next to nothing without, and what each of the others is worth, dB. */
export function prunedChain(
  { pair, chain, left }: Search,
  pause: Pause,
): { chain: Chain; left: number; worthDb: number[] } {
  const whole = energyOf(pair.judged, pair.yonder);
  let now = { chain, left };
  for (;;) {
    const worths = now.chain.map((_, place) => {
      pause();
      return ablate(pair, now.chain, place, pause);
    });
    const worthDb = worths.map((without) => dbFromPower(Math.max(without.left, 1e-300) / Math.max(now.left, 1e-300)));
    if (now.chain.length < 2) {
      const isThere = worthDb[0] >= leastWorthDb(now.chain, 0, now.left / whole);
      return isThere || isFlat(now.chain) ? { ...now, worthDb } : { ...worths[0], worthDb: [0] };
    }
    // What falls furthest short of what it has to be worth goes first.
    const over = worthDb.map((db, place) => db - leastWorthDb(now.chain, place, now.left / whole));
    const least = over.indexOf(Math.min(...over));
    if (over[least] >= 0 && worths[least].left > NEXT_TO_NOTHING * whole) return { ...now, worthDb };
    now = { chain: worths[least].chain, left: worths[least].left };
  }
}

/** Free taps beside gains and curves take on what those cannot be: a shape under this is not reported of them. */
const LEAST_BESIDE_DB = 1;

/** What a residual of a share leaves open of any gain, were it all aligned with the sound, dB. */
const leftOpenDb = (share: number): number => dbFromAmplitude(1 + Math.sqrt(share));

/** Nothing but a gain. */
const isFlat = ([stage]: Chain): boolean => stage.kind === "filter" && stage.eq.taps === 1;

const rounded = (values: Float64Array): (number | null)[] =>
  Array.from(values, (v) => (Number.isFinite(v) ? Math.round(v * 1000) / 1000 + 0 : null));

function eqCause(
  reading: EqReading,
  channels: CauseChannels,
  worthDb: number,
  place: EqCause["place"],
  openDb: number,
  rateHz: number,
): EqCause {
  const { hertz, gainDb, errorDb, bands, phase, mostDb } = reading;
  const at = gainDb.indexOf(mostDb);
  const nearest = (hz: number) =>
    hertz.reduce((best, h, i) => (Math.abs(h - hz) < Math.abs(hertz[best] - hz) ? i : best), 0);
  return {
    cause: "eq",
    channels,
    worthDb,
    hertz,
    gainDb: rounded(gainDb),
    errorDb: rounded(errorDb.map((db) => (db < MOST_ERROR_DB ? db : Number.NaN))),
    phase,
    bands: (bands?.bands ?? []).flatMap((band) => {
      const error = errorDb[nearest(band.hertz)];
      // A slope of so little at the edge of what is known may be any band's.
      if (isBeyondKnown(band, reading, rateHz)) return [];
      // A band that is no more than what is not known of it is none.
      if (
        band.gainDb !== null &&
        Math.abs(band.gainDb) < Math.max(FLAT_SHAPE_DB, openDb, Math.min(error, MOST_ERROR_DB))
      )
        return [];
      return [{ ...band, errorDb: error < MOST_ERROR_DB ? error : null }];
    }),
    mostDb,
    mostHertz: at < 0 ? 0 : hertz[at],
    place,
  };
}

/** A band beyond the known frequencies that moves the nearest of them by less than this (dB) is not judged by itself. */
const LEAST_BEYOND_DB = 1;

function isBeyondKnown(band: FittedBand, { hertz, errorDb }: EqReading, rateHz: number): boolean {
  const known = hertz.filter((_, i) => errorDb[i] < MOST_ERROR_DB);
  const [lowest, highest] = [known[0], known[known.length - 1]];
  if (band.hertz >= lowest && band.hertz <= highest) return false;
  const edge = band.hertz < lowest ? lowest : highest;
  const row = biquadsOf({ bands: [band], gainDb: 0, realised: null, misfitDb: 0, mostDb: 0 }, rateHz);
  const { re, im } = responseOfBiquads(row, [edge], rateHz);
  return Math.abs(dbFromPower(re[0] ** 2 + im[0] ** 2)) < LEAST_BEYOND_DB;
}

/** A shape is one over so many frequencies in a row (a sixth of an octave); where there is crosstalk over half an octave: less is what the fit does not know. */
const LEAST_WIDE = 4;
const LEAST_WIDE_CROSSED = 12;

function hasShape({ gainDb, phase }: EqReading, hasCrosstalk: boolean, openDb: number): boolean {
  if (phase === "all-pass") return true;
  let row = 0;
  return gainDb.some((db) => {
    row = Math.abs(db) >= Math.max(FLAT_SHAPE_DB, openDb) ? row + 1 : 0;
    return row >= (hasCrosstalk ? LEAST_WIDE_CROSSED : LEAST_WIDE);
  });
}

/** A residual of what was held out that is so many times that of what was fitted (6 dB). */
const OVERFITTED = 4;

/** What a chain is made of, cause by cause, and the flat gain of each channel; `heldOutShare` is its residual on what it was not fitted on, re Yonder. */
export function causesOfChain(
  pair: PairSignals,
  chain: Chain,
  worthDb: readonly number[],
  domain: Domain,
  heldOutShare: number,
  pause: Pause,
): { causes: CauseFound[]; flatDb: number[] } {
  const names = NAMES[domain];
  const rateHz = pair.sampleRateHz;
  const output = throughChain(pair.here, chain, rateHz);
  const hertz = eqHertz(rateHz);
  const causes: CauseFound[] = [];
  const flatDb = pair.here.map(() => 0);
  const leftShare = energyOf(pair.judged, pair.yonder, output) / energyOf(pair.judged, pair.yonder);
  const openDb = leftOpenDb(leftShare);
  const read = chain.some((s) => causeOf(s) === "eq") ? gainErrors(pair, output, hertz) : [];
  // What was held out says how far a chain of several stages can be believed: errors are no smaller than what that leaves open.
  const isLoose = heldOutShare > OVERFITTED * leftShare && chain.some((s) => causeOf(s) !== "eq");
  const errors = isLoose ? read.map((own) => own.map((db) => db + leftOpenDb(heldOutShare))) : read;
  for (const [place, stage] of chain.entries()) {
    pause();
    const worth = worthDb[place];
    if (stage.kind === "filter" || stage.kind === "cascade") {
      const others = chain.filter((s) => causeOf(s) !== "eq").length;
      const where = others === 0 ? null : chain.slice(0, place).some((s) => causeOf(s) !== "eq") ? "after" : "before";
      const known = stage.kind === "filter" ? errors.map((own, c) => whereThereIsSound(pair, c, hertz, own)) : errors;
      const serves = (apartDb: number) => servesBoth(pair, chain, place, apartDb);
      causes.push(...filterCauses(pair, stage, known, worth, names, flatDb, where, openDb, serves));
    } else if (stage.kind === "gain") {
      const { under } = aroundStage(pair, chain, place, pair.judged);
      const { gain } = stage;
      const ranges = pair.here.map((_, c) =>
        Math.max(
          ...gain.fits.map((band) => rangeOf(pair, under[c], gainsOf(ofChannel(band, c).curve, 0, under[c].length))),
        ),
      );
      const least = chain.some((s) => s.kind === "saturation") ? LEAST_RANGE_BESIDE_CURVE_DB : LEAST_RANGE_DB;
      const moving = ranges.map((db) => db > least);
      const channels =
        pair.here.length < 2 || moving.every((m) => m === moving[0]) ? "both" : names[moving.indexOf(true)];
      const rangeDb = Math.max(...ranges);
      // A gain that moves nowhere wrote a little of what the others leave.
      if (!moving.some(Boolean)) continue;
      causes.push(
        isByFrequency(gain)
          ? {
              cause: "gainInBands",
              channels,
              worthDb: worth,
              rangeDb,
              edgesHertz: gain.edgesHz,
              ...(gain.bell ? { bell: gain.bell } : {}),
            }
          : { cause: "gainOverTime", channels, worthDb: worth, rangeDb },
      );
    } else {
      // Gain before a curve and its slope for soft sounds stand for each other.
      for (const c of flatDb.keys()) flatDb[c] += dbFromAmplitude(safeSlope(slopeOf(ofChannel(stage.curves, c), 0)));
      const saturation = saturationCause(pair, chain, place, stage, worth, names, pause);
      const harmonicsDb = Math.max(saturation.evenDb ?? -300, saturation.oddDb ?? -300);
      // A curve that lowers the residual by a decibel adds at least a quarter of it: far below, its worth comes from its offset or slope.
      if (harmonicsDb > Math.max(LEAST_HARMONICS_DB, dbFromPower(leftShare) - UNDER_RESIDUAL_DB))
        causes.push(saturation);
    }
  }
  // What a filter before bands does, and what the bands do by themselves, cannot be known separately for each side.
  if (!chain.some((s) => s.kind === "gain" && isByFrequency(s.gain))) return { causes, flatDb };
  return { causes: causes.filter((c) => c.cause !== "eq" || c.channels === "both"), flatDb: flatDb.map(() => 0) };
}

/** Taps are reported where Here is within this of its loudest (−60 dB, power by band): softer, a fit follows whatever else is there. */
const LEAST_INPUT = 1e-6;

/** Errors of a filter of taps, beyond all bounds where there is next to no sound to know it by. */
function whereThereIsSound(
  pair: PairSignals,
  channel: number,
  hertz: readonly number[],
  errorDb: Float64Array,
): Float64Array {
  const { hertz: places, inputShare } = pairTransfer(pair, pair.here[channel], pair.yonder[channel]);
  let at = 0;
  return errorDb.map((error, i) => {
    while (at + 1 < places.length && Math.abs(places[at + 1] - hertz[i]) <= Math.abs(places[at] - hertz[i])) at++;
    return inputShare[at] > LEAST_INPUT ? error : Number.POSITIVE_INFINITY;
  });
}

function filterCauses(
  pair: PairSignals,
  stage: FilterStage | CascadeStage,
  errors: readonly Float64Array[],
  worthDb: number,
  names: readonly [CauseChannels, CauseChannels],
  flatDb: number[],
  place: EqCause["place"],
  leftOpen: number,
  serves: (apartDb: number) => boolean,
): CauseFound[] {
  const openDb = place !== null && stage.kind === "filter" ? Math.max(leftOpen, LEAST_BESIDE_DB) : leftOpen;
  const rateHz = pair.sampleRateHz;
  const hertz = eqHertz(rateHz);
  const isOneRow = stage.kind === "cascade" && stage.sections.length === 1;
  const known = isOneRow ? [errors.reduce((a, b) => a.map((e, i) => Math.min(e, b[i])))] : errors;
  const responses = known.map((_, c) => responseOfStage(stage, c, hertz, rateHz));
  const read = (c: number) => readEq(responses[c], known[c], hertz, rateHz, stage, c);
  const isSame = areOne(responses, known);
  const own = isSame ? [read(knownBest(known))] : known.map((_, c) => read(c));
  const readings = pair.here.map((_, c) => ofChannel(own, c));
  const apartDb = isSame ? 0 : flatApart(readings);
  const isOneCurve = isSame || readings.length < 2 || isOneShape(readings[0], readings[1], openDb) || serves(apartDb);
  // Curves of one shape lie apart by what sets them apart where both are known.
  for (const [c, { flatDb: flat }] of readings.entries())
    flatDb[c] += isOneCurve && c > 0 ? readings[0].flatDb + apartDb : flat;
  const late = stage.kind === "filter" ? lateEnergyOf(stage, known, hertz, rateHz) : null;
  if (late) return [{ ...late, channels: "both", worthDb }];
  const crosstalk: CauseFound[] =
    stage.kind === "filter" && stage.eq.hasCrosstalk ? [{ cause: "crosstalk", channels: "both", worthDb }] : [];
  // What leaves much and is made of no bands is the beginning of something longer, a room's or a plate's.
  if (leftOpen > LOOSE_DB && stage.kind === "filter" && place === null && readings.some(isRagged)) {
    flatDb.fill(0);
    return crosstalk;
  }
  const shaped = readings.map((reading) => hasShape(reading, crosstalk.length > 0, openDb));
  if (!shaped.some(Boolean)) return crosstalk;
  const eqs = isOneCurve
    ? [eqCause(readings[knownBest(readings.map(({ errorDb }) => errorDb))], "both", worthDb, place, openDb, rateHz)]
    : readings.flatMap((reading, c) => (shaped[c] ? [eqCause(reading, names[c], worthDb, place, openDb, rateHz)] : []));
  return [...eqs, ...crosstalk];
}

/** What a residual of −30 dB re Yonder leaves open (dB). */
const LOOSE_DB = leftOpenDb(1e-3);
/** A shape that no bands make, and of so much (dB). */
const RAGGED_DB = 6;
const isRagged = ({ bands, mostDb }: EqReading): boolean => !bands?.bands.length && Math.abs(mostDb) > RAGGED_DB;

/**
 * The polarity of the filters of a chain far below and far above where phase is turned on purpose. An all-pass of first order has one at each end: laid on each other by
 * either, two sounds seem inverted where they are not. One of second order has the same at both, and seems inverted itself where the sound lies in between.
 */
export function polarityAtEnds(chain: Chain, rateHz: number): [low: 1 | -1, high: 1 | -1] {
  const hertz = [TURNED_HZ[0], Math.min(TURNED_HZ[1], 0.4 * rateHz)];
  let [low, high] = [
    { re: 1, im: 0 },
    { re: 1, im: 0 },
  ];
  const product = (a: typeof low, re: number, im: number) => ({ re: a.re * re - a.im * im, im: a.re * im + a.im * re });
  for (const stage of chain) {
    if (stage.kind !== "filter" && stage.kind !== "cascade") continue;
    const { re, im } = responseOfStage(stage, 0, hertz, rateHz);
    low = product(low, re[0], im[0]);
    high = product(high, re[1], im[1]);
  }
  return [low.re < 0 ? -1 : 1, high.re < 0 ? -1 : 1];
}
const TURNED_HZ = [25, 15_000] as const;

/**
 * The polarity of the filters of a chain where all are rows of biquads of minimum phase: by the sign of the first sample that comes out, whatever the phase is where
 * the sound lies, as with a steep cut close by; null where they are not.
 */
export function polarityOfRows(chain: Chain): 1 | -1 | null {
  const rows = chain.flatMap((s) => (s.kind === "cascade" ? [s.sections] : []));
  const isOther = chain.some((s) => s.kind === "filter" && s.eq.taps > 1);
  if (isOther || rows.length === 0 || !rows.flat(2).every(isMinimum)) return null;
  const signs = rows.flatMap((sections) =>
    sections.map((row) => row.reduce((sign, { b0 }) => sign * Math.sign(b0), 1)),
  );
  const inverted = signs.filter((sign) => sign < 0).length;
  // Of rows for each channel, all have to say the same.
  return inverted === 0 ? 1 : rows.length === 1 && inverted === signs.length ? -1 : null;
}

/** How far gains move where there is sound: from their 5th to their 95th percentile, or where they stand still there all but the last of them, dB. */
function rangeOf(pair: PairSignals, signal: Float64Array, gains: Float64Array): number {
  const every = Math.max(1, Math.round(0.005 * pair.sampleRateHz));
  const points: { gain: number; energy: number }[] = [];
  for (let n = 0; n + every <= signal.length; n += every) {
    if (pair.judged[n] === 0) continue;
    let energy = 0;
    for (let i = 0; i < every; i++) energy += signal[n + i] ** 2;
    const gain = gains[n + (every >> 1)];
    if (energy > 0 && gain > 0) points.push({ gain, energy });
  }
  // Loud or soft, a moment that sounds counts once: quiet ones a ten thousandth of the loudest do not.
  const loudest = points.reduce((most, p) => Math.max(most, p.energy), 0);
  const sounding = points.filter((p) => p.energy > 1e-4 * loudest).map((p) => 20 * log10(p.gain));
  sounding.sort((a, b) => a - b);
  const at = (share: number) => sounding[Math.floor(share * (sounding.length - 1))];
  const usual = sounding.length > 0 ? at(1 - RANGE_TAIL) - at(RANGE_TAIL) : 0;
  // A limiter that works seldom.
  return usual > LEAST_RANGE_DB || sounding.length === 0 ? usual : at(1 - SELDOM_TAIL) - at(SELDOM_TAIL);
}

function saturationCause(
  pair: PairSignals,
  chain: Chain,
  place: number,
  stage: SaturationStage,
  worthDb: number,
  names: readonly [CauseChannels, CauseChannels],
  pause: Pause,
): Extract<CauseFound, { cause: "saturation" }> {
  const rateHz = pair.sampleRateHz;
  const whole = energyOf(pair.judged, pair.yonder);
  const input = throughChain(pair.here, chain.slice(0, place), rateHz);
  const parts = input.map((signal, c) => evenAndOdd(signal, ofChannel(stage.curves, c), pair.judged));
  const behind = (signals: Signals) =>
    energyOf(
      pair.judged,
      chain.slice(place + 1).reduce((s, next) => throughStage(s, next, rateHz), signals),
    ) / whole;
  const level = (signals: Signals) => {
    const share = behind(signals);
    return share > 0 ? dbFromPower(share) : null;
  };
  const curved = parts.map(
    ({ even, odd }, c) =>
      energyOf(pair.judged, [even]) + energyOf(pair.judged, [odd]) > 1e-8 * energyOf(pair.judged, [input[c]]),
  );
  const channels =
    pair.here.length < 2 || stage.curves.length < 2 || curved.every((v) => v === curved[0])
      ? "both"
      : names[curved.indexOf(true)];
  return {
    cause: "saturation",
    channels,
    worthDb,
    evenDb: level(parts.map(({ even }) => even)),
    oddDb: level(parts.map(({ odd }) => odd)),
    ...aliasingOf(pair, chain, pause),
  };
}

/** What a curve adds to a signal, its even part without its mean, and its odd part without the straight line that fits it best. */
function evenAndOdd(signal: Float64Array, curve: SaturationStage["curves"][number], weight: Float64Array) {
  const [even, odd] = [new Float64Array(signal.length), new Float64Array(signal.length)];
  let [product, energy, sum, count] = [0, 0, 0, 0];
  const plain = { ...curve, oversampling: 1 };
  const up = saturated(signal, plain);
  const down = saturated(
    signal.map((v) => -v),
    plain,
  );
  for (let n = 0; n < signal.length; n++) {
    even[n] = (up[n] + down[n]) / 2;
    odd[n] = (up[n] - down[n]) / 2;
    if (weight[n] === 0) continue;
    product += odd[n] * signal[n];
    energy += signal[n] * signal[n];
    sum += even[n];
    count++;
  }
  const [slope, mean] = [energy > 0 ? product / energy : 0, count > 0 ? sum / count : 0];
  for (let n = 0; n < signal.length; n++) {
    even[n] -= mean;
    odd[n] -= slope * signal[n];
  }
  return { even, odd };
}

/** −20 dB re Yonder. */
const MOST_LEFT_BESIDE_BALANCE = 0.01;

/** Balance or width by the flat gains of the channels, where they lie further apart than a residual of that share leaves open, up on one and down on the other. */
export function flatCauses(flatDb: readonly number[], domain: Domain, residualShare: number): CauseFound[] {
  // With this much unexplained, something else may be louder on one side.
  if (flatDb.length < 2 || residualShare > MOST_LEFT_BESIDE_BALANCE) return [];
  const apart = flatDb[1] - flatDb[0];
  if (!(Math.abs(apart) >= Math.max(LEAST_BALANCE_DB, 2 * leftOpenDb(residualShare)))) return [];
  return domain === "left-right"
    ? [{ cause: "balance", channels: "both", worthDb: null, balanceDb: apart }]
    : [{ cause: "width", channels: "both", worthDb: null, widthDb: apart < -60 ? null : apart }];
}
