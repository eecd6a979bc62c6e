import { lowPass } from "../audio/low-pass";
import { throughFilter } from "../audio/through-filters";
import { addTimes, minus } from "../numeric/vectors";
import { bestBell } from "./bell-gain";
import { fitCascade, reachOf, refinedCascade } from "./cascade-fit";
import {
  aroundPlace,
  aroundStage,
  gainAround,
  RESIDUAL_FLOOR,
  type Settled,
  saturationAround,
  settle,
  unlinkedGain,
  withFinenessAnew,
} from "./chain-fit";
import { bestEqForm, type ChosenForm, type Eq, type EqForm, fitEq } from "./eq-fit";
import { forChannels, onOneChannel } from "./for-channels";
import { bandGainsMove, bestGainOverTime, type GainOverTime, withBell } from "./gain-fit";
import { channelOf, energyOf, type PairSignals, someStretches, withReach } from "./pair-signals";
import { pairTransfer } from "./pair-transfer";
import { FREE_OVERSAMPLING } from "./saturation-curve";
import {
  type CascadeStage,
  type Chain,
  causeOf,
  leastSquaresGain,
  ofChannel,
  residualBy,
  type Stage,
  throughChain,
  throughStage,
} from "./stages";
import { predictionOf } from "./whitening";

/** A further stage has to leave less by this factor (half a dB) on what was held out. */
export const MIN_IMPROVEMENT_HALF_DB = 0.89;
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
/** Filters while stages are looked for last so long. */
const SCOUT_SECONDS = 0.021;
const SHORTEST_TAPS = 256;
const SCOUT_ROUNDS = 1;
/** And are looked for on so many stretches first; on all of them where what is found then does not come near. */
const SCOUTED_STRETCHES = 2;
/** A linear fit that leaves less than this share (−40 dB) is looked at closely first. */
const FAR = 1e-4;
/** A filter alone is looked at closely where what no filter explains is estimated under this share (−20 dB). */
const LINEAR_SHARE = 0.01;
/** A residual under this share (−50 dB) needs no other order, and no bands. */
const GOOD = 1e-5;
/** And one under this (−70 dB) no finer stages. */
const FINE = 1e-7;
/** What gains in bands do has to leave less by this factor (2 dB) than they do on Here so much later. */
const CLEARLY_LESS = 0.63;
const CHANCE_SHIFT_SECONDS = 0.37;
/** A stage put in has to leave less by this factor at once to be followed, and so many are. */
const PROMISING = 0.98;
const MOST_FOLLOWED = 3;
/** Bands part with phase: filters beside them are so many times as long. */
const BAND_FILTERS = 2;
/** No more stages than this. */
const MOST_STAGES = 4;

/** Told now and then, with what is being done; ends the work by throwing. */
export type Pause = (doing?: string) => void;

const FLAT: EqForm = { taps: 1, lead: 0, isCrossed: false };

const filterOf = (pair: PairSignals, form: EqForm, weight = pair.judged): Stage => ({
  kind: "filter",
  eq: fitEq(pair.here, pair.yonder, [weight], form),
});

const wholeOf = (pair: PairSignals) => energyOf(pair.judged, pair.yonder);

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

type Trial = Settled & { white: number };

/** And a third by this (1.5 dB), a fourth by this (4 dB): of what short filters leave, any other stage takes a little. */
const LEAST_OF_A_THIRD = 0.71;
const LEAST_OF_A_FOURTH = 0.4;

const isBetter = (a: Trial, b: Trial): boolean => {
  const stages = a.chain.length;
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

const countOf = (chain: Chain, cause: "eq" | "gain" | "saturation") => chain.filter((s) => causeOf(s) === cause).length;

/** Kinds of stages that a chain may still be given, by place: filters stand on both sides of something else at the most. */
function openings(chain: Chain): { kind: "filter" | "gain" | "saturation"; place: number }[] {
  const found: { kind: "filter" | "gain" | "saturation"; place: number }[] = [];
  for (const kind of ["gain", "saturation"] as const)
    if (countOf(chain, kind) === 0) for (let place = 0; place <= chain.length; place++) found.push({ kind, place });
  if (countOf(chain, "eq") < 2)
    for (let place = 0; place <= chain.length; place++) {
      const beside = [chain[place - 1], chain[place]].some((s) => s && causeOf(s) === "eq");
      if (!beside) found.push({ kind: "filter", place });
    }
  return found;
}

/** Taps of a scouted filter at a rate. */
function scoutTaps(rateHz: number): number {
  let taps = SHORTEST_TAPS;
  while (taps < SCOUT_SECONDS * rateHz) taps *= 2;
  return taps;
}

/** Which stages stand between two sounds, and in which order: stage by stage on a little of them, with short filters. */
function scout(pair: PairSignals, pause: Pause): Trial {
  const whole = wholeOf(pair);
  const white = whiteResidual(pair);
  let taps = scoutTaps(pair.sampleRateHz);
  while (taps > 32 && taps > pair.judgedFrames / 8) taps /= 2;
  const form: EqForm = { taps, lead: taps / 8, isCrossed: false };
  const trialOf = (chain: Chain): Trial => {
    // A filter or a gain by itself was put in where it leaves least: there is nothing to settle with.
    const isSettled = chain.length === 1 && chain[0].kind !== "saturation";
    const settled = settle(pair, chain, { rounds: isSettled ? 0 : SCOUT_ROUNDS, pause });
    return { ...settled, white: white(settled.chain) };
  };
  const flat: Chain = [filterOf(pair, FLAT)];
  const plain: Trial = { chain: flat, left: residualBy(pair, flat), white: white(flat) };
  let best: Trial = plain;
  let start: Chain = [];
  // A first stage stands for the level, too.
  while (start.length < MOST_STAGES && best.left > RESIDUAL_FLOOR * whole) {
    pause();
    // Looked at as put in first: only what helps at once is fitted with the rest.
    const begun = openings(start).flatMap(({ kind, place }): Settled[] => {
      const chain = withStage(pair, start, place, kind, form);
      return chain ? [{ chain, left: residualBy(pair, chain) }] : [];
    });
    const promising = begun
      .filter(({ left }) => start.length === 0 || left < PROMISING * best.left)
      .toSorted((a, b) => a.left - b.left)
      .slice(0, start.length === 0 ? begun.length : MOST_FOLLOWED);
    const tries = promising.flatMap(({ chain }) => {
      const own = trialOf(chain);
      // A gain that is too quick writes what a filter beside it would: held to slower ones, it leaves that to the filter.
      const slower = own.left < best.left && !isBetter(own, best) ? withSlowGains(pair, chain) : null;
      return slower ? [own, trialOf(slower)] : [own];
    });
    const better = tries.filter((t) => isBetter(t, best)).toSorted((a, b) => a.left - b.left);
    if (better.length === 0) break;
    best = better[0];
    start = best.chain;
    if (best.left < GOOD * whole && start.length > 1) break;
  }
  return best;
}

/** The channel in which one gain leaves most: it tells which stages there are. */
const tellingChannel = ({ here, yonder, judged }: PairSignals): number =>
  here
    .map((x, c) => {
      const gain = leastSquaresGain(judged, [x], [yonder[c]]);
      return energyOf(judged, [yonder[c]], [x.map((v) => gain * v)]);
    })
    .reduce((most, e, c, all) => (e > all[most] ? c : most), 0);

/** What was found between two sounds. */
export type Search = {
  /** What it was fitted on in the end. */
  pair: PairSignals;
  chain: Chain;
  /** Energy of what it leaves, gains held out. */
  left: number;
};

/** Nothing but a gain between two sounds. */
export function levelAlone(pair: PairSignals): Search {
  const chain: Chain = [filterOf(pair, FLAT)];
  return { pair, chain, left: residualBy(pair, chain) };
}

/** The chain between two sounds: a row of biquads or a filter alone where that is all, else whatever stages there are. */
export function searchChain(inFull: PairSignals, few: PairSignals, pause: Pause): Search {
  pause("Looking for a filter");
  const whole = wholeOf(inFull);
  let best = levelAlone(inFull);
  const take = (chain: Chain, left: number, factor = MIN_IMPROVEMENT_HALF_DB) => {
    if (left < factor * best.left) best = { pair: inFull, chain, left };
  };
  if (best.left <= RESIDUAL_FLOOR * whole) return best;
  const alone = {
    inputs: inFull.here,
    targets: inFull.yonder,
    weights: inFull.halves.map((half) => [half]) as [Float64Array[], Float64Array[]],
    judgedFrames: inFull.judgedFrames,
  };
  const telling = tellingChannel(inFull);
  const { incoherentShare } = pairTransfer(inFull, inFull.here[telling], inFull.yonder[telling]);
  let first: ChosenForm | null = null;
  if (incoherentShare < LINEAR_SHARE) {
    const cascade = fitCascade(inFull, pause);
    if (cascade) take([cascade.stage], cascade.left);
    // A row of biquads needs little room around its stretches.
    if (cascade && best.left <= RESIDUAL_FLOOR * whole)
      return { ...best, pair: withReach(inFull, reachOf(cascade.stage)) };
    first = bestEqForm(alone, pause, { isHasty: true });
    if (first.leftShare < FAR) {
      const stage = filterOf(inFull, first.form);
      take([stage], residualBy(inFull, [stage]));
      if (best.left <= RESIDUAL_FLOOR * whole) return best;
    }
  }
  const isCrossed = first?.form.isCrossed ?? false;
  let settled: Search | null = null;
  // On a few stretches first, which is quick, and on all of them where what is found there does not come near.
  for (const on of new Set([someStretches(few, SCOUTED_STRETCHES), few])) {
    if (
      settled
        ? isGoodChain(settled)
        : on === few && on.stretches.length > SCOUTED_STRETCHES && best.left < LOOSE * whole
    )
      break;
    pause("Looking for gain over time and saturation");
    const found = scout(isCrossed ? on : channelOf(on, Math.min(telling, on.here.length - 1)), pause).chain;
    if (found.every((s) => causeOf(s) === "eq")) continue;
    pause("Fitting all stages together");
    const own = fittedOn(few, onItsChannels(on, found, telling), pause);
    if (!settled || own.left / wholeOf(own.pair) < settled.left / wholeOf(settled.pair)) settled = own;
  }
  if (settled) {
    if (settled.left / wholeOf(settled.pair) < (MIN_IMPROVEMENT_HALF_DB * best.left) / whole) best = settled;
  } else {
    const tried = first;
    const form = !tried || tried.isCut ? bestEqForm(alone, pause, tried ? { start: tried } : {}).form : tried.form;
    if (form.taps > 1 && !(tried && tried.leftShare < FAR && form === tried.form)) {
      const stage = filterOf(inFull, form);
      take([stage], residualBy(inFull, [stage]));
    }
  }
  const banded = best.left > GOOD * whole ? inBandsWhereBetter(best, pause) : best;
  return banded.left > GOOD * wholeOf(banded.pair) ? withBellWhereBetter(banded, few, pause) : banded;
}

/** A scouted chain on both channels, or on the one it was scouted on alone where that leaves less. */
function onItsChannels(pair: PairSignals, chain: Chain, channel: number): Chain {
  const onBoth = forChannels(chain, pair.here.length);
  const onOne = pair.here.length === 2 ? onOneChannel(pair, chain, channel) : onBoth;
  return residualBy(pair, onOne) < PROMISING * residualBy(pair, onBoth) ? onOne : onBoth;
}

/** Whether a chain comes as near as chains of its kind do: gains that move are known less well than curves and filters. */
const isGoodChain = ({ pair, chain, left }: Search): boolean =>
  left < (countOf(chain, "gain") > 0 ? NEAR_WITH_GAIN : NEAR_WITHOUT) * wholeOf(pair);
/** What a filter leaves under this share (−30 dB) asks for no second look. */
const LOOSE = 1e-3;
/** −40 and −65 dB, by trial. */
const NEAR_WITH_GAIN = 1e-4;
const NEAR_WITHOUT = 3e-7;

/** Scouted stages fitted on all that is judged: how fine they are, whether channels differ, filters as long or as short as they have to be. */
function fittedOn(few: PairSignals, start: Chain, pause: Pause): Search {
  const options = { rounds: 2, pause };
  // Biquads first: all that follows is quicker with them, and needs less room around the stretches.
  let best = withCascades(few, settle(few, withFinenessAnew(few, start), options), pause);
  const pair = inLittleRoom(few, best.chain);
  if (pair !== few) best = settle(pair, withFinenessAnew(pair, best.chain), options);
  const consider = (chain: Chain | null) => {
    if (!chain) return;
    const settled = settle(pair, chain, options);
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
  best = withoutAliasing(pair, best, pause);
  const isFine = () => best.left < FINE * wholeOf(pair);
  if (!isFine() && best.chain.some(({ kind }) => kind === "filter")) best = withCascades(pair, best, pause);
  if (!isFine()) consider(withLongerFilters(pair, best.chain));
  return { pair, ...(isFine() ? best : withCascadesAlone(pair, best, pause)) };
}

/** A pair with no more room around its stretches than a chain's rows of biquads need; the pair itself where a filter of taps needs all of it. */
function inLittleRoom(pair: PairSignals, chain: Chain): PairSignals {
  if (chain.some(({ kind }) => kind === "filter")) return pair;
  return withReach(pair, Math.max(LEAST_ROOM, ...chain.map((s) => (s.kind === "cascade" ? reachOf(s) : 0))));
}
/** Frames around stretches at the least: curves worked out at a higher rate look so far. */
const LEAST_ROOM = 2048;

/** Rows of biquads moved by themselves, with all else as it is: steps together move them little where a curve's knots or a gain's hang on them. */
function withCascadesAlone(pair: PairSignals, settled: Settled, pause: Pause): Settled {
  let best = settled;
  for (let turn = 0; turn < CASCADE_TURNS; turn++) {
    const chain = best.chain.reduce<Chain>((now, stage, place) => {
      if (stage.kind !== "cascade") return now;
      const { under, wanted, weights } = aroundStage(pair, now, place, pair.judged);
      const own = refinedCascade({ inputs: under, targets: wanted, weights }, stage, pause, { mostSteps: 2 });
      return now.with(place, own.stage);
    }, best.chain);
    if (chain === best.chain) break;
    const tried = settle(pair, chain, { rounds: 1, pause });
    const isWorth = tried.left < MIN_IMPROVEMENT_HALF_DB * best.left;
    if (tried.left < best.left) best = tried;
    if (!isWorth) break;
  }
  return best;
}
const CASCADE_TURNS = 3;

const heldOutBy = (gain: GainOverTime): number => gain.fits.flat().reduce((sum, { heldOut }) => sum + heldOut, 0);

/** Filters four times as long, where there is sound enough for them. */
function withLongerFilters(pair: PairSignals, chain: Chain): Chain | null {
  if (!chain.some((s) => s.kind === "filter")) return null;
  return chain.map((stage): Stage => {
    if (stage.kind !== "filter" || stage.eq.taps * 32 > pair.judgedFrames) return stage;
    const { taps, lead, filters, isCrossed } = stage.eq;
    const longer: Eq = {
      taps: 4 * taps,
      lead,
      isCrossed,
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

/** What leaves so much more at once (9 dB) cannot come near by being fitted. */
const FAR_OFF = 8;

/** Curves worked out at four times the rate, where that leaves less: the processor does not alias. */
function withoutAliasing(pair: PairSignals, settled: Settled, pause: Pause): Settled {
  if (countOf(settled.chain, "saturation") === 0 || settled.left < FINE * wholeOf(pair)) return settled;
  const chain = oversampled(settled.chain, FREE_OVERSAMPLING);
  // A curve that aliases leaves more at once without it.
  if (residualBy(pair, chain) > FAR_OFF * settled.left) return settled;
  const free = settle(pair, chain, { rounds: 2, pause });
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
    const tried = settle(pair, best.chain.with(place, own.stage), { rounds: 2, pause });
    if (tried.left < best.left / FEWER_UNKNOWNS) best = tried;
  }
  return best;
}
/** A row of biquads may leave so much more (1.5 dB) than a filter of taps, which also takes on a little of what other stages leave. */
const FEWER_UNKNOWNS = 0.71;

/** Gains in bands, where they leave clearly less than one gain, and more than chance. */
function inBandsWhereBetter(found: Search, pause: Pause): Search {
  const { pair, chain, left } = found;
  if (countOf(chain, "saturation") > 0) return found;
  pause("Looking for gain in bands");
  const taps = BAND_FILTERS * scoutTaps(pair.sampleRateHz);
  const eqs = chain.filter((s) => causeOf(s) === "eq");
  const output = throughChain(pair.here, chain, pair.sampleRateHz);
  if (!bandGainsMove(output, pair.yonder, pair.judged, pair.sampleRateHz)) return found;
  if (pair.judgedFrames < 8 * taps || (eqs[0]?.kind === "filter" && eqs[0].eq.isCrossed)) return found;
  // Bands part with phase that a short filter does not hold: one with room for it, channel by channel.
  const [own] = eqs;
  const isLong = own?.kind === "filter" && own.eq.taps >= taps;
  const eq: Stage = eqs.length === 1 && isLong ? own : filterOf(pair, { taps, lead: taps / 8, isCrossed: false });
  const banded = (stage: Stage): Chain | null => {
    const under = throughStage(pair.here, stage, pair.sampleRateHz);
    const gain = bestGainOverTime(
      under,
      pair.yonder,
      pair.yonder.map(() => pair.judged),
      pair.sampleRateHz,
    );
    return gain.edgesHz.length > 0 ? [stage, { kind: "gain", gain }] : null;
  };
  let next = banded(eq);
  if (!next) return found;
  let best = settle(pair, next, { rounds: 3, pause });
  for (let search = 0; search < 2; search++) {
    next = banded(best.chain[0]);
    if (!next) break;
    const again = settle(pair, next, { rounds: 3, pause });
    if (again.left >= MIN_IMPROVEMENT_HALF_DB * best.left) break;
    best = again;
  }
  return best.left < MIN_IMPROVEMENT_HALF_DB * left && isMoreThanChance(pair, best.chain)
    ? { ...found, ...best }
    : found;
}

/**
 * A bell that moves, as of a dynamic equalizer, in place of an equalizer, or behind it: where it leaves far less, and more than chance. What it does on average
 * would else be told as an equalizer.
 */
function withBellWhereBetter(found: Search, inRoom: PairSignals, pause: Pause): Search {
  const { chain, left } = found;
  const pair = withReach(inRoom, BELL_ROOM);
  if (countOf(chain, "saturation") > 0 || pair.judgedFrames < 8 * scoutTaps(pair.sampleRateHz)) return found;
  pause("Looking for a bell that moves");
  const rateHz = pair.sampleRateHz;
  const loudest = tellingChannel(pair);
  const few = someStretches(channelOf(pair, loudest), SCOUTED_STRETCHES);
  const flat: Chain = [filterOf(pair, FLAT)];
  const eqs = chain.filter((s) => causeOf(s) === "eq");
  const isEq = eqs.length === chain.length && chain.every((s) => s.kind !== "filter" || s.eq.taps > 1);
  const tries = (isEq ? [flat, chain] : [flat]).flatMap((base): Settled[] => {
    const under = throughChain(few.here, base.map(onChannel(loudest)), rateHz);
    const { bell, heldOut, level } = bestBell(under[0], few.yonder[0], few.judged, rateHz);
    if (heldOut > FAR_LESS_BELL * energyOf(few.judged, few.yonder, under)) return [];
    const levelled = base.with(-1, scaledStage(base[base.length - 1], level));
    const gain = withBell(
      throughChain(pair.here, levelled, rateHz),
      pair.yonder,
      pair.yonder.map(() => pair.judged),
      rateHz,
      bell,
    );
    return [settle(pair, [...levelled, { kind: "gain", gain }], { rounds: 3, pause })];
  });
  const best = tries.reduce<Settled | null>((a, b) => (!a || b.left < BELL_BEHIND * a.left ? b : a), null);
  const share = best ? best.left / wholeOf(pair) : 1;
  return best && share < FAR_LESS_BELL * (left / wholeOf(found.pair)) ? { pair, ...best } : found;
}
/**
 * A bell that moves has to leave less than what stands still by this factor (6 dB). Behind an equalizer that does what it does on average it has less to do, and leaves
 * less: it is taken so where it leaves less by this one (15 dB).
 */
const FAR_LESS_BELL = 0.25;
const BELL_BEHIND = 0.03;
/** Frames around stretches that a bell rings in. */
const BELL_ROOM = 4096;

/** A stage as one channel has it. */
const onChannel =
  (channel: number) =>
  (stage: Stage): Stage => {
    if (stage.kind === "cascade") return { ...stage, sections: [ofChannel(stage.sections, channel)] };
    if (stage.kind === "filter" && !stage.eq.isCrossed)
      return { ...stage, eq: { ...stage.eq, filters: [stage.eq.filters[channel]] } };
    return stage;
  };

/**
 * Whether gains in bands tell of Here, and not only of what quick gains can write by themselves on any sound of its kind: they have to leave far less
 * of what its filter leaves than the same gains on Here moved in time.
 */
function isMoreThanChance(pair: PairSignals, [eq, gain]: Chain): boolean {
  const { here, yonder, judged, sampleRateHz } = pair;
  if (gain?.kind !== "gain") return false;
  const passed = throughStage(here, eq, sampleRateHz);
  const rest = yonder.map((y, c) => minus(y, passed[c]));
  const shift = Math.round(CHANCE_SHIFT_SECONDS * sampleRateHz);
  const later = passed.map((signal) => signal.map((_, n) => signal[(n + shift) % signal.length]));
  const weights = rest.map(() => judged);
  const [own, chance] = [passed, later].map((under) => {
    const fit = gainAround({ under, wanted: rest, weights }, sampleRateHz, gain.gain);
    return energyOf(judged, rest, throughStage(under, { kind: "gain", gain: fit }, sampleRateHz, true));
  });
  return own < CLEARLY_LESS * chance;
}

/** What a stage is worth: how much less the chain leaves with it than the others do without it, fitted again; energies. */
export function ablate(pair: PairSignals, chain: Chain, place: number, pause: Pause): { chain: Chain; left: number } {
  const others = chain.toSpliced(place, 1);
  // The first stage stands for the level as well.
  const rest = others.length > 0 ? others : [filterOf(pair, FLAT)];
  const levelled = withLevel(pair, rest);
  return settle(pair, levelled, { rounds: 2, pause });
}

/** A chain at the gain that leaves least. */
export function withLevel(pair: PairSignals, chain: Chain): Chain {
  const gain = leastSquaresGain(pair.judged, throughChain(pair.here, chain, pair.sampleRateHz), pair.yonder);
  if (!(gain > 0)) return chain;
  const last = chain.findLastIndex((s) => s.kind === "filter" || s.kind === "cascade");
  if (last < 0) return chain;
  return chain.map((stage, place): Stage => (place === last ? scaledStage(stage, gain) : stage));
}

function scaledStage(stage: Stage, gain: number): Stage {
  if (stage.kind === "filter")
    return {
      kind: "filter",
      eq: {
        ...stage.eq,
        filters: stage.eq.filters.map(({ responses, lead }) => ({
          lead,
          responses: responses.map((h) => h.map((v) => gain * v)),
        })),
      },
    };
  if (stage.kind !== "cascade") return stage;
  const sections = stage.sections.map(([first, ...others]) => [
    { ...first, b0: gain * first.b0, b1: gain * first.b1, b2: gain * first.b2 },
    ...others,
  ]);
  return { kind: "cascade", sections } satisfies CascadeStage;
}
