import { type Biquad, filterRow } from "../audio/biquad";
import { energyUnder, weightedProduct } from "../numeric/vectors";
import { type Eq, throughEq } from "./eq-fit";
import { type GainOverTime, throughGain } from "./gain-fit";
import { energyOf, type PairSignals } from "./pair-signals";
import { type SaturationCurve, saturated } from "./saturation-curve";

/** Channels of one length: left and right, mid and side, or one. */
export type Signals = readonly Float64Array[];

/** A linear filter by its taps, channel by channel, or with crosstalk between both. */
export type FilterStage = { kind: "filter"; eq: Eq };
/** A linear filter of few unknowns: biquads in a row, the same for all channels (one row) or a row for each. */
export type CascadeStage = { kind: "cascade"; sections: Biquad[][] };
export type GainStage = { kind: "gain"; gain: GainOverTime };
/** Memoryless curves: one for all channels, or one for each. */
export type SaturationStage = { kind: "saturation"; curves: SaturationCurve[] };
export type Stage = FilterStage | CascadeStage | GainStage | SaturationStage;

/** What is between Here and Yonder, in the order a signal passes it. */
export type Chain = readonly Stage[];

/** What a stage is called where it is reported of. */
export type Cause = "eq" | "gain" | "saturation";
export const causeOf = ({ kind }: Stage): Cause => (kind === "filter" || kind === "cascade" ? "eq" : kind);

/** The entry of a channel, where one may stand for all. */
export const ofChannel = <T>(entries: readonly T[], channel: number): T =>
  entries[Math.min(channel, entries.length - 1)];

export const throughCascade = (signals: Signals, sections: readonly (readonly Biquad[])[]): Float64Array[] =>
  signals.map((signal, c) => {
    const output = signal.slice();
    filterRow(output, ofChannel(sections, c));
    return output;
  });

/** Signals through a stage; `isHeldOut`: gains come from the slices that a frame is not in. */
export function throughStage(signals: Signals, stage: Stage, rateHz: number, isHeldOut = false): Signals {
  switch (stage.kind) {
    case "filter":
      return throughEq(signals, stage.eq);
    case "cascade":
      return throughCascade(signals, stage.sections);
    case "gain":
      return throughGain(signals, stage.gain, rateHz, isHeldOut);
    case "saturation":
      return signals.map((signal, c) => saturated(signal, ofChannel(stage.curves, c)));
  }
}

/** Signals through a chain. */
export const throughChain = (signals: Signals, chain: Chain, rateHz: number, isHeldOut = false): Signals =>
  chain.reduce((passing, stage) => throughStage(passing, stage, rateHz, isHeldOut), signals);

/** Energy of what a chain leaves of Yonder where a weight is not 0. */
export const residualBy = (pair: PairSignals, chain: Chain, weight = pair.judged): number =>
  energyOf(weight, pair.yonder, throughChain(pair.here, chain, pair.sampleRateHz, true));

/** The gain that leaves least where a weight is not 0, never negative. */
export function leastSquaresGain(weight: Float64Array, from: Signals, to: Signals): number {
  let [product, energy] = [0, 0];
  for (const [c, signal] of from.entries()) {
    product += weightedProduct(weight, signal, to[c]);
    energy += energyUnder(weight, signal);
  }
  return energy > 0 ? Math.max(0, product / energy) : 0;
}
