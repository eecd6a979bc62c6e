// Whether an equalizer is one for both channels: by its curves, and by what the chain loses if it were.
import { amplitudeFromDb } from "../audio/decibels";
import { type Complex, type EqReading, MOST_ERROR_DB } from "./eq-response";
import { energyOf, type PairSignals } from "./pair-signals";
import { scaledStage } from "./search-basics";
import { type Chain, residualBy, type Stage } from "./stages";

/** Curves of two channels are one where they differ by no more than their errors and this (dB). */
const SAME_SHAPE_DB = 0.1;
/** So far down, curves are next to nothing, and which of them goes further is not reported. */
const NOTHING_DB = -40;

/** Curves of two channels that differ by no more than their errors. */
export function isOneShape(a: EqReading, b: EqReading, openDb: number): boolean {
  for (const [i, db] of a.gainDb.entries()) {
    const other = b.gainDb[i];
    if (Number.isNaN(db) || Number.isNaN(other) || Math.max(db, other) < NOTHING_DB) continue;
    if (Math.abs(db - other) > SAME_SHAPE_DB + openDb + a.errorDb[i] + b.errorDb[i]) return false;
  }
  return true;
}

/** Channels have a curve each where one's filter in place of the other's has a residual above this (3 dB): errors of other stages differ by channel, too. */
const MOST_OF_ONE = 2;
/** Where the residual is no more than this share of Yonder (−30 dB). */
const LEFT_OF_ONE = 1e-3;

/** Whether the filter of one of two channels, at the level of the other, does for both. */
export function servesBoth(pair: PairSignals, chain: Chain, place: number, apartDb: number): boolean {
  const left = residualBy(pair, chain);
  // Under much that is not explained, a change of one side costs no more than that.
  if (left > LEFT_OF_ONE * energyOf(pair.judged, pair.yonder)) return false;
  const most = MOST_OF_ONE * left;
  return [0, 1].some((donor) => {
    const stage = doneByOne(chain[place], donor, amplitudeFromDb(donor === 0 ? apartDb : -apartDb));
    return stage !== null && residualBy(pair, chain.with(place, stage)) < most;
  });
}

/** A stage whose two channels both have the filter of one of them, the other one at a level; null where there are no two filters. */
function doneByOne(stage: Stage, donor: number, level: number): Stage | null {
  const other = scaledStage(stage, level);
  const each = <T>(own: readonly T[], levelled: readonly T[]): T[] =>
    [0, 1].map((c) => (c === donor ? own : levelled)[donor]);
  if (stage.kind === "cascade" && other.kind === "cascade" && stage.sections.length === 2)
    return { ...stage, sections: each(stage.sections, other.sections) };
  if (stage.kind !== "filter" || other.kind !== "filter" || stage.eq.hasCrosstalk) return null;
  return { ...stage, eq: { ...stage.eq, filters: each(stage.eq.filters, other.eq.filters) } };
}

/** How much further up the second channel's curve lies than the first's where both are known: the middle of what sets them apart, dB. */
export function flatApart([a, b]: readonly EqReading[]): number {
  if (!b) return 0;
  const apart = Array.from(a.gainDb, (db, i) => b.gainDb[i] + b.flatDb - db - a.flatDb).filter(
    (by) => !Number.isNaN(by),
  );
  return apart.toSorted((x, y) => x - y)[apart.length >> 1] ?? b.flatDb - a.flatDb;
}

/** The channel whose gain is known at the most frequencies. */
export function knownBest(errors: readonly Float64Array[]): number {
  const counts = errors.map((error) => error.reduce((n, e) => n + (e < MOST_ERROR_DB ? 1 : 0), 0));
  return counts.indexOf(Math.max(...counts));
}

/** Responses of two channels that are one: mostly to within a thousandth (0.01 dB), and everywhere to within what is known of them. */
export function areOne(responses: readonly Complex[], errors: readonly Float64Array[]): boolean {
  if (responses.length < 2) return true;
  const [a, b] = responses;
  const off: number[] = [];
  for (const [i, re] of a.re.entries()) {
    if (errors.some((error) => error[i] >= MOST_ERROR_DB)) continue;
    const own = Math.sqrt(((re - b.re[i]) ** 2 + (a.im[i] - b.im[i]) ** 2) / (re ** 2 + a.im[i] ** 2));
    if (own > SAME_RESPONSE + (errors[0][i] + errors[1][i]) / DB_A_PART) return false;
    off.push(own);
  }
  return off.length > 0 && off.toSorted((x, y) => x - y)[off.length >> 1] < SAME_RESPONSE;
}
const SAME_RESPONSE = 0.001;
/** dB that a part of 1 is, of a small one. */
const DB_A_PART = 8.686;
