import { minus } from "../numeric/vectors";
import { bestBell } from "./bell-gain";
import { fitStagesAlternately, gainAround, type Settled } from "./chain-fit";
import { bandGainsMove, bestGainOverTime, withBell } from "./gain-fit";
import { MIN_IMPROVEMENT_HALF_DB } from "./improvements";
import { channelOf, energyOf, type PairSignals, someStretches, withReach } from "./pair-signals";
import {
  countOf,
  FLAT,
  filterOf,
  type Pause,
  SCOUTED_STRETCHES,
  type Search,
  scaledStage,
  scoutTaps,
  tellingChannel,
  wholeOf,
} from "./search-basics";
import { type Chain, causeOf, ofChannel, residualBy, type Stage, throughChain, throughStage } from "./stages";

/** What gains in bands do has to leave less by this factor (2 dB) than they do on Here so much later. */
const CLEARLY_LESS = 0.63;
const CHANCE_SHIFT_SECONDS = 0.37;
/** Bands part with phase: filters beside them are so many times as long. */
const BAND_FILTERS = 2;

/** Gains in bands, where they leave clearly less than one gain, and more than chance. */
export function inBandsWhereBetter(found: Search, pause: Pause): Search {
  const { pair, chain, left } = found;
  if (countOf(chain, "saturation") > 0) return found;
  pause("Looking for gain in bands");
  const taps = BAND_FILTERS * scoutTaps(pair.sampleRateHz);
  const eqs = chain.filter((s) => causeOf(s) === "eq");
  const output = throughChain(pair.here, chain, pair.sampleRateHz);
  if (!bandGainsMove(output, pair.yonder, pair.judged, pair.sampleRateHz)) return found;
  if (pair.judgedFrames < 8 * taps || (eqs[0]?.kind === "filter" && eqs[0].eq.hasCrosstalk)) return found;
  // Bands part with phase that a short filter does not hold: one with room for it, channel by channel.
  const [own] = eqs;
  const isLong = own?.kind === "filter" && own.eq.taps >= taps;
  const eq: Stage = eqs.length === 1 && isLong ? own : filterOf(pair, { taps, lead: taps / 8, hasCrosstalk: false });
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
  let best = fitStagesAlternately(pair, next, { rounds: 3, pause });
  for (let search = 0; search < 2; search++) {
    next = banded(best.chain[0]);
    if (!next) break;
    const again = fitStagesAlternately(pair, next, { rounds: 3, pause });
    if (again.left >= MIN_IMPROVEMENT_HALF_DB * best.left) break;
    best = again;
  }
  return best.left < MIN_IMPROVEMENT_HALF_DB * left && isMoreThanChance(pair, best.chain)
    ? { ...found, ...best }
    : found;
}

/**
 * A bell that moves, as of a dynamic equalizer, in place of an equalizer, or behind it: where it leaves far less, and more than chance. What it does on average
 * would else be reported as an equalizer.
 */
export function withBellWhereBetter(found: Search, inRoom: PairSignals, pause: Pause): Search {
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
    return [fitStagesAlternately(pair, [...levelled, { kind: "gain", gain }], { rounds: 3, pause })];
  });
  const best = tries.reduce<Settled | null>((a, b) => (!a || b.left < BELL_BEHIND * a.left ? b : a), null);
  // Held against what stands still on the same stretches, which may be louder ones than those it was found on.
  const still = isEq ? residualBy(pair, chain) / wholeOf(pair) : 1;
  const most = FAR_LESS_BELL * Math.min(still, left / wholeOf(found.pair));
  return best && best.left / wholeOf(pair) < most ? { pair, ...best } : found;
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
    if (stage.kind === "filter" && !stage.eq.hasCrosstalk)
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
