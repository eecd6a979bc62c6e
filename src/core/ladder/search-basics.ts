import { fitStagesAlternately } from "./chain-fit";
import { type EqForm, fitEq } from "./eq-fit";
import { energyOf, type PairSignals } from "./pair-signals";
import {
  type CascadeStage,
  type Chain,
  causeOf,
  leastSquaresGain,
  residualBy,
  type Stage,
  throughChain,
} from "./stages";

/** A stage put in has to leave less by this factor at once to be followed, and so many are. */
export const PROMISING = 0.98;

/** Filters while stages are looked for last so long. */
const SCOUT_SECONDS = 0.021;
const SHORTEST_TAPS = 256;

/** Stages are looked for on so many stretches first; on all of them where what is found there does not come near. */
export const SCOUTED_STRETCHES = 2;

/** Reported now and then, with what is being done; ends the work by throwing. */
export type Pause = (doing?: string) => void;

export const FLAT: EqForm = { taps: 1, lead: 0, hasCrosstalk: false };

export const filterOf = (pair: PairSignals, form: EqForm, weight = pair.judged): Stage => ({
  kind: "filter",
  eq: fitEq(pair.here, pair.yonder, [weight], form),
});

export const wholeOf = (pair: PairSignals) => energyOf(pair.judged, pair.yonder);

export const countOf = (chain: Chain, cause: "eq" | "gain" | "saturation") =>
  chain.filter((s) => causeOf(s) === cause).length;

/** Taps of a scouted filter at a rate. */
export function scoutTaps(rateHz: number): number {
  let taps = SHORTEST_TAPS;
  while (taps < SCOUT_SECONDS * rateHz) taps *= 2;
  return taps;
}

/** The channel in which one gain leaves most: it tells which stages there are. */
export const tellingChannel = ({ here, yonder, judged }: PairSignals): number =>
  here.map((x, c) => leftByGain(judged, x, yonder[c])).reduce((most, e, c, all) => (e > all[most] ? c : most), 0);

/** Σ w (y − g x)² at the gain that leaves least. */
function leftByGain(weight: Float64Array, x: Float64Array, y: Float64Array): number {
  let xx = 0;
  let xy = 0;
  let yy = 0;
  for (let n = 0; n < x.length; n++) {
    const v = weight[n] * x[n];
    xx += v * x[n];
    xy += v * y[n];
    yy += weight[n] * y[n] * y[n];
  }
  return xx > 0 ? Math.max(0, yy - (xy * xy) / xx) : yy;
}

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

/** What a stage is worth: how much less the chain leaves with it than the others do without it, fitted again; energies. */
export function ablate(pair: PairSignals, chain: Chain, place: number, pause: Pause): { chain: Chain; left: number } {
  const others = chain.toSpliced(place, 1);
  // The first stage stands for the level as well.
  if (others.length === 0) {
    const { chain: flat, left } = levelAlone(pair);
    return { chain: flat, left };
  }
  const levelled = withLevel(pair, others);
  return fitStagesAlternately(pair, levelled, { rounds: 2, pause });
}

/** A chain at the gain that leaves least. */
export function withLevel(pair: PairSignals, chain: Chain): Chain {
  const gain = leastSquaresGain(pair.judged, throughChain(pair.here, chain, pair.sampleRateHz), pair.yonder);
  if (!(gain > 0)) return chain;
  const last = chain.findLastIndex((s) => s.kind === "filter" || s.kind === "cascade");
  if (last < 0) return chain;
  return chain.map((stage, place): Stage => (place === last ? scaledStage(stage, gain) : stage));
}

export function scaledStage(stage: Stage, gain: number): Stage {
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
