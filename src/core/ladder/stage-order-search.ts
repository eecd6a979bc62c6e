import { bilinear, cutSections } from "../audio/analogue";
import { lowPass } from "../audio/low-pass";
import { throughFilter } from "../audio/through-filters";
import { addTimes, minus } from "../numeric/vectors";
import {
  aroundPlace,
  aroundStage,
  fitStagesAlternately,
  gainAround,
  RESIDUAL_FLOOR,
  type Settled,
  saturationAround,
  withFiltersAnew,
} from "./chain-fit";
import { type EqForm, fitEq } from "./eq-fit";
import { MIN_IMPROVEMENT_HALF_DB } from "./improvements";
import { energyOf, type PairSignals } from "./pair-signals";
import { isUneven } from "./saturation-curve";
import { countOf, FLAT, filterOf, type Pause, PROMISING, scoutTaps, wholeOf } from "./search-basics";
import { type Chain, causeOf, residualBy, type Stage, throughChain } from "./stages";
import { predictionOf } from "./whitening";

/**
 * Or, where Here has next to nothing at some frequencies, less by this factor (15 dB), and with all frequencies counting alike no more than this (6 dB) over what
 * it was: quick gains that write another sound leave 13 dB less at the most, and ten times as much (by trial on tones, basses and mixes).
 */
const FAR_LESS = 0.0316;
const HARDLY_MORE = 4;
const MORE_BY_FILTERS = 2;
/** What frequencies are made to count alike with: an autoregressive model of Yonder, its quietest no more than 40 dB under its loudest. */
const WHITE_ORDER = 64;
const WHITE_FLOOR = 1e-4;
const SCOUT_ROUNDS = 1;
const MOST_FOLLOWED = 3;
/** No more stages than this. */
const MOST_STAGES = 4;
/** A residual under this share (−50 dB) needs no other order, and no bands. */
const GOOD = 1e-5;

/**
 * What a chain leaves with all frequencies of Yonder counting alike. A gain that is quick enough can write any low wave by itself; what it is then held
 * against leaves as much as before at all other frequencies, and it is not taken for a gain.
 */
function whiteResidual(pair: PairSignals): (chain: Chain) => number {
  const { here, yonder, judged, sampleRateHz } = pair;
  const filters = yonder.map((signal) => upToHearing(predictionOf(signal, WHITE_ORDER, WHITE_FLOOR), sampleRateHz));
  return (chain) => {
    const output = throughChain(here, chain, sampleRateHz, true);
    const rest = yonder.map((y, c) => minus(y, output[c]));
    return energyOf(
      judged,
      rest.map((signal, c) => throughFilter([signal], { responses: [filters[c]], lead: 0 })),
    );
  };
}

/** A response with nothing over what is heard: at high rates most frequencies hold no more than rounding, and would outvote all others. */
function upToHearing(response: Float64Array, rateHz: number): Float64Array {
  if (rateHz < HIGH_RATE_HZ) return response;
  const { taps } = lowPass(rateHz, ...HEARD_HZ, 40);
  const output = new Float64Array(response.length + taps.length - 1);
  for (const [n, v] of response.entries()) addTimes(output.subarray(n, n + taps.length), v, taps);
  return output;
}
const HIGH_RATE_HZ = 64_000;
const HEARD_HZ = [18_000, 22_000] as const;

type Trial = Settled & { white: number; whole: number };

/** And a third by this (1.5 dB), a fourth by this (4 dB): of what short filters leave, any other stage takes a little. */
const LEAST_OF_A_THIRD = 0.71;
const LEAST_OF_A_FOURTH = 0.4;
/** A second stage beside one that leaves next to nothing by itself has to take this much (3 dB) off one of the two. */
const LEAST_OF_GOOD = 0.5;
/** And this much (1.2 dB) before it is fitted with the other. */
const BEGUN_OF_GOOD = 0.75;

const isBetter = (a: Trial, b: Trial): boolean => {
  const stages = a.chain.length;
  // Of so little, free taps take a part at all frequencies: a filter that is there takes much, of all of it or where there is little sound.
  if (b.chain.length === 1 && b.left < GOOD * b.whole && Math.min(a.left / b.left, a.white / b.white) > LEAST_OF_GOOD)
    return false;
  const enough = stages > 3 ? LEAST_OF_A_FOURTH : stages > 2 ? LEAST_OF_A_THIRD : MIN_IMPROVEMENT_HALF_DB;
  if (a.left < FAR_LESS * b.left && a.white < HARDLY_MORE * b.white) return true;
  // A filter writes nothing by itself: it may leave more where there is little sound.
  const isFilter = countOf(a.chain, "eq") > countOf(b.chain, "eq") || a.chain.every((s) => causeOf(s) === "eq");
  const mostWhite = isFilter ? MORE_BY_FILTERS : MIN_IMPROVEMENT_HALF_DB;
  return a.left < enough * b.left && a.white < mostWhite * b.white;
};

/** A kind of stage put in at a place of a chain, fitted on what stands around it; null where it cannot be. */
function withStage(
  pair: PairSignals,
  chain: Chain,
  place: number,
  kind: "filter" | "gain" | "saturation",
  form: EqForm,
): Chain | null {
  const around = aroundPlace(pair, chain, place, pair.judged);
  const inserted = (stage: Stage): Chain => [...chain.slice(0, place), stage, ...chain.slice(place)];
  if (kind === "filter") return inserted({ kind, eq: fitEq(around.under, around.wanted, around.weights, form) });
  if (kind === "gain") return inserted({ kind, gain: gainAround(around, pair.sampleRateHz) });
  const stage = saturationAround(around);
  return stage && inserted(stage);
}

/** A chain with its quick gains held to knots this far apart; null where it has none. */
function withSlowGains(pair: PairSignals, chain: Chain): Chain | null {
  const knotFrames = Math.round(SLOW_SECONDS * pair.sampleRateHz);
  const place = chain.findIndex((s) => s.kind === "gain" && s.gain.fits[0][0].curve.knotFrames < knotFrames);
  if (place < 0) return null;
  const around = aroundStage(pair, chain, place, pair.judged);
  return chain.with(place, { kind: "gain", gain: gainAround(around, pair.sampleRateHz, { knotFrames }) });
}
const SLOW_SECONDS = 0.02;

/** Kinds of stages that a chain may still be given, by place: filters stand on both sides of something else at the most. */
function openings(chain: Chain): { kind: "filter" | "gain" | "saturation"; place: number }[] {
  const found: { kind: "filter" | "gain" | "saturation"; place: number }[] = [];
  for (const kind of ["gain", "saturation"] as const)
    if (countOf(chain, kind) === 0) for (let place = 0; place <= chain.length; place++) found.push({ kind, place });
  if (chain.filter(({ kind }) => kind === "filter").length < 2)
    for (let place = 0; place <= chain.length; place++) {
      const beside = [chain[place - 1], chain[place]].some((s) => s?.kind === "filter");
      if (!beside) found.push({ kind: "filter", place });
    }
  return found;
}

/**
 * A chain with its curve followed by a cut of the lowest frequencies, where that leaves less: what an uneven curve adds follows the programme like an offset, most
 * processors keep it from their output, and no short filter can.
 */
function withCoupling(best: Trial, rateHz: number, trialOf: (chain: Chain) => Trial): Trial {
  const place = best.chain.findIndex((s) => s.kind === "saturation" && s.curves.some(isUneven));
  if (place < 0 || best.chain[place + 1]?.kind === "cascade") return best;
  const tries = COUPLING_HZ.map((hertz) => {
    const section = cutSections("low cut", hertz, 1).map((s) => bilinear(s, rateHz));
    return trialOf(best.chain.toSpliced(place + 1, 0, { kind: "cascade", sections: [section] }));
  });
  const least = tries.reduce((a, b) => (b.left < a.left ? b : a));
  return least.left < MIN_IMPROVEMENT_HALF_DB * best.left ? least : best;
}
/** Where it is tried from, Hz: those of coupling capacitors, and of cuts against rumble. */
const COUPLING_HZ = [5, 20];

/** Which stages stand between two sounds, and in which order: stage by stage on a little of them, with short filters; what leaves least first, and another way to begin. */
export function searchStageOrder(pair: PairSignals, pause: Pause): Settled[] {
  const whole = wholeOf(pair);
  const white = whiteResidual(pair);
  let taps = scoutTaps(pair.sampleRateHz);
  while (taps > 32 && taps > pair.judgedFrames / 8) taps /= 2;
  const form: EqForm = { taps, lead: taps / 8, hasCrosstalk: false };
  const trialOf = (chain: Chain): Trial => {
    // A filter or a gain by itself was put in where it leaves least: there is nothing to fit it with.
    const isSettled = chain.length === 1 && chain[0].kind !== "saturation";
    let settled = fitStagesAlternately(pair, chain, { rounds: isSettled ? 0 : SCOUT_ROUNDS, pause });
    if (countOf(chain, "saturation") > 0 && countOf(chain, "eq") > 1)
      settled = withFiltersAnew(pair, settled, SCOUT_ROUNDS, pause);
    return { ...settled, whole, white: white(settled.chain) };
  };
  const flat: Chain = [filterOf(pair, FLAT)];
  const plain: Trial = { chain: flat, left: residualBy(pair, flat), whole, white: white(flat) };
  /** Stage after stage, from one that stands: each the one that leaves least. */
  const grown = (from: Trial, start: Chain): { best: Trial; firsts: Trial[] } => {
    let best = from;
    let now = start;
    let firsts: Trial[] = [];
    while (now.length < MOST_STAGES && best.left > RESIDUAL_FLOOR * whole) {
      const better = triesFrom(now, best)
        .filter((t) => isBetter(t, best))
        .toSorted((a, b) => a.left - b.left);
      if (better.length === 0) break;
      if (now.length === 0) firsts = better;
      best = withCoupling(better[0], pair.sampleRateHz, trialOf);
      now = best.chain;
      if (best.left < GOOD * whole && now.length > 1) break;
    }
    return { best, firsts };
  };
  const triesFrom = (start: Chain, best: Trial): Trial[] => {
    pause();
    // Looked at as put in first: only what helps at once is fitted with the rest.
    const isGood = start.length === 1 && best.left < GOOD * whole;
    const begun = openings(start).flatMap(({ kind, place }): Settled[] => {
      const chain = withStage(pair, start, place, kind, form);
      if (!chain) return [];
      const left = residualBy(pair, chain);
      const isFollowed = !isGood || Math.min(left / best.left, white(chain) / best.white) < BEGUN_OF_GOOD;
      return isFollowed ? [{ chain, left }] : [];
    });
    const promising = begun
      .filter(({ left }) => start.length === 0 || left < PROMISING * best.left)
      .toSorted((a, b) => a.left - b.left)
      .slice(0, start.length === 0 ? begun.length : MOST_FOLLOWED);
    return promising.flatMap(({ chain }) => {
      const own = trialOf(chain);
      // A gain that is too quick writes what a filter beside it would: held to slower ones, it leaves that to the filter.
      const slower = own.left < best.left && !isBetter(own, best) ? withSlowGains(pair, chain) : null;
      return slower ? [own, trialOf(slower)] : [own];
    });
  };
  const { best, firsts } = grown(plain, []);
  // A filter can take at first what a curve is that comes before it: filters on both sides of that curve are then one too many.
  const isOneTooMany = countOf(best.chain, "saturation") > 0 && countOf(best.chain, "eq") > 1;
  const curve = firsts.find(({ chain }) => causeOf(chain[0]) === "saturation");
  if (!curve || best.left < GOOD * whole || !isOneTooMany || causeOf(firsts[0].chain[0]) === "saturation")
    return [best];
  const other = grown(withCoupling(curve, pair.sampleRateHz, trialOf), curve.chain).best;
  return other.left < BESIDE * best.left ? [best, other] : [best];
}
/** What has fewer filters may leave so much more with short ones (10 dB) to be fitted as well. */
const BESIDE = 10;
