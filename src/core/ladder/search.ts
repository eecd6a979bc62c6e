import { fitCascade, reachOf } from "./cascade-fit";
import { RESIDUAL_FLOOR } from "./chain-fit";
import { bestEqForm, type ChosenForm } from "./eq-fit";
import { FEWER_UNKNOWNS, fittedOn } from "./fitted-chain";
import { forChannels, onOneChannel } from "./for-channels";
import { inBandsWhereBetter, withBellWhereBetter } from "./gain-by-frequency";
import { MIN_IMPROVEMENT_HALF_DB } from "./improvements";
import { channelOf, type PairSignals, someStretches, withReach } from "./pair-signals";
import { pairTransfer } from "./pair-transfer";
import {
  countOf,
  filterOf,
  levelAlone,
  type Pause,
  PROMISING,
  SCOUTED_STRETCHES,
  type Search,
  tellingChannel,
  wholeOf,
} from "./search-basics";
import { searchStageOrder } from "./stage-order-search";
import { type Chain, causeOf, residualBy } from "./stages";

/** A linear fit that leaves less than this share (−40 dB) is looked at closely first. */
const FAR = 1e-4;
/** A filter alone is looked at closely where what no filter explains is estimated under this share (−20 dB). */
const LINEAR_SHARE = 0.01;
/** A residual under this share (−50 dB) asks for no second look, and for no bands. */
const GOOD = 1e-5;

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
      if (best.left <= RESIDUAL_FLOOR * whole) return inTheRoomOfItsFilters(best);
    }
  }
  const settled = stagesBetween(few, telling, first?.form.hasCrosstalk ?? false, best.left < GOOD * whole, pause);
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
  const banded = best.left > GOOD * whole ? inBandsWhereBetter(best, pause) : inTheRoomOfItsFilters(best);
  return banded.left > GOOD * wholeOf(banded.pair) ? withBellWhereBetter(banded, few, pause) : banded;
}

/** Filters on a pair with no more room around its stretches than they reach: all that follows is quicker. A gain belongs to the frames it was fitted on. */
function inTheRoomOfItsFilters(found: Search): Search {
  const reaches = found.chain.map((s) =>
    s.kind === "filter" ? s.eq.taps : s.kind === "cascade" ? reachOf(s) : Infinity,
  );
  return { ...found, pair: withReach(found.pair, Math.max(...reaches)) };
}

/**
 * A chain of more than filters, looked for on a few stretches first, which is quick, and on all of them where what is found there does not come near; null where
 * nothing moves and nothing saturates. `isNear`: a filter alone comes so near that a second look for other stages is not worth it.
 */
function stagesBetween(
  few: PairSignals,
  telling: number,
  hasCrosstalk: boolean,
  isNear: boolean,
  pause: Pause,
): Search | null {
  let best: Search | null = null;
  const some = someStretches(few, SCOUTED_STRETCHES);
  for (const on of new Set([some, few])) {
    if (best ? isGoodChain(best) : on !== some && isNear) break;
    pause("Looking for gain over time and saturation");
    const found = searchStageOrder(hasCrosstalk ? on : channelOf(on, Math.min(telling, on.here.length - 1)), pause);
    for (const { chain } of found) {
      if (chain.every((s) => causeOf(s) === "eq")) continue;
      pause("Fitting all stages together");
      const own = fittedOn(few, onItsChannels(on, chain, telling), pause);
      // Rows of biquads have fewer unknowns than filters of taps, and hold where those do not.
      const lead = best && !hasTaps(best) && hasTaps(own) ? FEWER_UNKNOWNS : 1;
      if (!best || own.left / wholeOf(own.pair) < (lead * best.left) / wholeOf(best.pair)) best = own;
    }
  }
  return best;
}

const hasTaps = ({ chain }: Search): boolean => chain.some((s) => s.kind === "filter" && s.eq.taps > 1);

/** A scouted chain on both channels, or on the one it was scouted on alone where that leaves less. */
function onItsChannels(pair: PairSignals, chain: Chain, channel: number): Chain {
  const onBoth = forChannels(chain, pair.here.length);
  const onOne = pair.here.length === 2 ? onOneChannel(pair, chain, channel) : onBoth;
  return residualBy(pair, onOne) < PROMISING * residualBy(pair, onBoth) ? onOne : onBoth;
}

/** Whether a chain comes as near as chains of its kind do: gains that move are known less well than curves and filters. */
const isGoodChain = ({ pair, chain, left }: Search): boolean =>
  left < (countOf(chain, "gain") > 0 ? NEAR_WITH_GAIN : NEAR_WITHOUT) * wholeOf(pair);
/** −40 and −65 dB, by trial. */
const NEAR_WITH_GAIN = 1e-4;
const NEAR_WITHOUT = 3e-7;
