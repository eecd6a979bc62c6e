import { powerOfTwoAtLeast } from "../audio/fft";
import { throughFilter } from "../audio/through-filters";
import { fitCascade, reachOf, refinedCascade } from "./cascade-fit";
import {
  aroundStage,
  fitStagesAlternately,
  gainAround,
  responsesOf,
  type Settled,
  saturationAround,
  unlinkedGain,
  withCurvesAnew,
  withFinenessAnew,
} from "./chain-fit";
import type { Eq } from "./eq-fit";
import type { GainOverTime } from "./gain-fit";
import { MIN_IMPROVEMENT_HALF_DB } from "./improvements";
import { type PairSignals, withReach } from "./pair-signals";
import { FREE_OVERSAMPLING } from "./saturation-curve";
import { countOf, type Pause, PROMISING, type Search, wholeOf } from "./search-basics";
import {
  type CascadeStage,
  type Chain,
  type FilterStage,
  ofChannel,
  residualBy,
  type Stage,
  throughStage,
} from "./stages";

/** And one under this (−70 dB) no finer stages. */
const FINE = 1e-7;

/** Scouted stages fitted on all that is judged: how fine they are, whether channels differ, filters as long or as short as they have to be. */
export function fittedOn(few: PairSignals, start: Chain, pause: Pause): Search {
  const options = { rounds: 2, pause };
  // Biquads first: all that follows is quicker with them, and needs less room around the stretches.
  let best = withCascades(few, fitStagesAlternately(few, withFinenessAnew(few, start), options), pause);
  const { chain: tried } = best;
  const pair = inLittleRoom(few, best.chain);
  if (pair !== few) best = fitStagesAlternately(pair, withFinenessAnew(pair, best.chain), options);
  const consider = (chain: Chain | null) => {
    if (!chain) return;
    const settled = fitStagesAlternately(pair, chain, options);
    if (settled.left < MIN_IMPROVEMENT_HALF_DB * best.left) best = settled;
  };
  if (pair.here.length > 1)
    for (const [place, stage] of best.chain.entries()) {
      if (stage.kind === "gain" && stage.gain.isLinked && stage.gain.edgesHz.length === 0) {
        const around = aroundStage(pair, best.chain, place, pair.judged);
        const own = unlinkedGain(around, pair.sampleRateHz);
        const linked = gainAround(around, pair.sampleRateHz, stage.gain);
        if (heldOutBy(own) < MIN_IMPROVEMENT_HALF_DB * heldOutBy(linked))
          consider(best.chain.with(place, { kind: "gain", gain: own }));
      } else if (stage.kind === "saturation" && stage.curves.length === 1) {
        const around = aroundStage(pair, best.chain, place, pair.judged);
        const each = saturationAround(around, { ...stage, curves: pair.here.map(() => stage.curves[0]) });
        const tried = each && best.chain.with(place, each);
        if (tried && residualBy(pair, tried) < PROMISING * best.left) consider(tried);
      }
    }
  pause();
  best = withOneFilter(pair, best, pause);
  best = withoutAliasing(pair, best, pause);
  const isFine = () => best.left < FINE * wholeOf(pair);
  // Once more, now that the rest is better known.
  if (!isFine() && best.chain !== tried && best.chain.some(({ kind }) => kind === "filter"))
    best = withCascades(pair, best, pause);
  if (!isFine()) consider(withLongerFilters(pair, best.chain));
  return { pair, ...polished(pair, best, pause) };
}

/** A pair with no more room around its stretches than a chain's rows of biquads need; the pair itself where a filter of taps needs all of it. */
function inLittleRoom(pair: PairSignals, chain: Chain): PairSignals {
  if (chain.some(({ kind }) => kind === "filter")) return pair;
  return withReach(pair, Math.max(LEAST_ROOM, ...chain.map((s) => (s.kind === "cascade" ? reachOf(s) : 0))));
}
/** Frames around stretches at the least: curves worked out at a higher rate look so far. */
const LEAST_ROOM = 2048;

/**
 * Rows of biquads moved by themselves, with all else as it is: steps together move them little where a curve's knots or a gain's hang on them. Then curves as fine
 * as they may be now, and all of it again, as long as that gains a decibel.
 */
function polished(pair: PairSignals, settled: Settled, pause: Pause): Settled {
  let best = settled;
  const whole = wholeOf(pair);
  for (let turn = 0; turn < MOST_TURNS && best.left > FINE * whole; turn++) {
    const finer = turn > 0 && countOf(best.chain, "saturation") > 0 ? withCurvesAnew(pair, best.chain) : best.chain;
    const chain = finer.reduce<Chain>((now, stage, place) => {
      if (stage.kind !== "cascade") return now;
      const { under, wanted, weights } = aroundStage(pair, now, place, pair.judged);
      const own = refinedCascade({ inputs: under, targets: wanted, weights }, stage, pause, { mostSteps: 2 });
      return now.with(place, own.stage);
    }, finer);
    if (chain === best.chain) break;
    const tried = fitStagesAlternately(pair, chain, { rounds: 1, pause });
    const isWorth = tried.left < WORTH_A_TURN * best.left;
    if (tried.left < best.left) best = tried;
    if (!isWorth) break;
  }
  return best;
}
const MOST_TURNS = 8;
/** One decibel. */
const WORTH_A_TURN = 0.8;

const heldOutBy = (gain: GainOverTime): number => gain.fits.flat().reduce((sum, { heldOut }) => sum + heldOut, 0);

/** Filters four times as long, where there is sound enough for them. */
function withLongerFilters(pair: PairSignals, chain: Chain): Chain | null {
  if (!chain.some((s) => s.kind === "filter")) return null;
  return chain.map((stage): Stage => {
    if (stage.kind !== "filter" || stage.eq.taps * 32 > pair.judgedFrames) return stage;
    const { taps, lead, filters, hasCrosstalk } = stage.eq;
    const longer: Eq = {
      taps: 4 * taps,
      lead,
      hasCrosstalk,
      filters: filters.map(({ responses }) => ({
        lead,
        responses: responses.map((h) => {
          const room = new Float64Array(4 * taps);
          room.set(h);
          return room;
        }),
      })),
    };
    return { kind: "filter", eq: longer };
  });
}

/**
 * Two filters with other stages between them made one, at the place of either, where that leaves hardly more: what is soft passes a curve and a slow gain as it is, and
 * there two filters can take from each other what they give.
 */
function withOneFilter(pair: PairSignals, settled: Settled, pause: Pause): Settled {
  const found = settled.chain.flatMap((stage, place) =>
    stage.kind === "filter" || stage.kind === "cascade" ? [{ stage, place }] : [],
  );
  if (found.length < 2) return settled;
  let best: Settled | null = null;
  for (const [i, { stage: first, place: from }] of found.entries())
    for (const { stage: second, place: to } of found.slice(i + 1)) {
      const merged = mergedFilter(pair, first, second);
      if (!merged) continue;
      for (const [kept, gone] of [
        [from, to],
        [to, from],
      ]) {
        pause();
        const chain = settled.chain.with(kept, merged).toSpliced(gone, 1);
        if (residualBy(pair, chain) > BEGUN_FAR_OFF * settled.left) continue;
        const begun = fitStagesAlternately(pair, chain, { rounds: 1, pause });
        if (begun.left > FAR_OFF * settled.left) continue;
        const one = withCascades(pair, begun, pause);
        if (one.left < HARDLY_MORE * settled.left && (best === null || one.left < best.left)) best = one;
      }
    }
  return best ?? settled;
}
/** What leaves so much more at once (30 dB) is no other way to say the same. */
const BEGUN_FAR_OFF = 1000;
/** One filter may leave so much more than two (3 dB). */
const HARDLY_MORE = 2;
/** A filter that stands for two is so long, in seconds. */
const MERGED_SECONDS = 0.085;

type Linear = FilterStage | CascadeStage;

/** Two filters as one of taps; null where channels are heard together. */
function mergedFilter({ here, sampleRateHz }: PairSignals, a: Linear, b: Linear): FilterStage | null {
  const cascadeTaps = powerOfTwoAtLeast(MERGED_SECONDS * sampleRateHz);
  const [first, second] = [responsesOf(a, cascadeTaps), responsesOf(b, cascadeTaps)];
  if (!first || !second) return null;
  const lead = first.lead + second.lead;
  const taps = Math.max(...first.responses.map((h) => h.length), ...second.responses.map((h) => h.length));
  const filters = here.map((_, c) => {
    const room = new Float64Array(taps);
    const [h, other] = [ofChannel(first.responses, c), ofChannel(second.responses, c)];
    room.set(h.subarray(0, taps));
    return { lead, responses: [throughFilter([room], { responses: [other], lead: 0 })] };
  });
  return { kind: "filter", eq: { taps, lead, hasCrosstalk: false, filters } };
}

/** What leaves so much more at once (9 dB) cannot come near by being fitted. */
const FAR_OFF = 8;

/** Curves worked out at four times the rate, where that leaves less: the processor does not alias. */
function withoutAliasing(pair: PairSignals, settled: Settled, pause: Pause): Settled {
  if (countOf(settled.chain, "saturation") === 0 || settled.left < FINE * wholeOf(pair)) return settled;
  const chain = oversampled(settled.chain, FREE_OVERSAMPLING);
  // A curve that aliases leaves more at once without it.
  if (residualBy(pair, chain) > FAR_OFF * settled.left) return settled;
  const free = fitStagesAlternately(pair, chain, { rounds: 2, pause });
  return free.left < settled.left ? free : settled;
}

export const oversampled = (chain: Chain, oversampling: number): Chain =>
  chain.map((stage) =>
    stage.kind === "saturation" ? { ...stage, curves: stage.curves.map((c) => ({ ...c, oversampling })) } : stage,
  );

/** Filters as rows of biquads wherever those leave as little: fewer unknowns, known also where there is little sound. */
function withCascades(pair: PairSignals, settled: Settled, pause: Pause): Settled {
  let best = settled;
  for (const [place, stage] of settled.chain.entries()) {
    if (stage.kind !== "filter") continue;
    const around = aroundStage(pair, best.chain, place, pair.judged);
    const asPair: PairSignals = {
      ...pair,
      here: [...around.under],
      yonder: [...throughStage(around.under, stage, pair.sampleRateHz)],
    };
    const cascade = fitCascade(asPair, pause);
    if (!cascade) continue;
    const own = refinedCascade(
      { inputs: around.under, targets: around.wanted, weights: around.weights },
      cascade.stage,
      pause,
      { mostSteps: 2 },
    );
    const begun = fitStagesAlternately(pair, best.chain.with(place, own.stage), { rounds: 2, pause });
    const isNear = begun.left < NEAR * best.left && begun.left * FEWER_UNKNOWNS > best.left;
    const tried = isNear ? polished(pair, begun, pause) : begun;
    if (tried.left < best.left / FEWER_UNKNOWNS) best = tried;
  }
  return best;
}
/** What leaves so much more (6 dB) is not polished. */
const NEAR = 4;
/** A row of biquads may leave so much more (1.5 dB) than a filter of taps, which also takes on a little of what other stages leave. */
export const FEWER_UNKNOWNS = 0.71;
