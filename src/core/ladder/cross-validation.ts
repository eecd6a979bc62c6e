import { scaled } from "../numeric/vectors";
import { refinedCascade } from "./cascade-fit";
import { aroundStage, fitStagesAlternately, withHeldOutGains } from "./chain-fit";
import { fitEq } from "./eq-fit";
import { type AppliedStep, STEP_KINDS } from "./found-chain";
import { energyOf, type PairSignals } from "./pair-signals";
import { type Chain, leastSquaresGain, type Signals, throughChain } from "./stages";

/** Residual energies: fitted on all that is judged, and cross-validated: each half by what was fitted on the other. */
export type Residuals = { fitted: number; crossValidated: number };

/** The steps after time, in their order. */
export const STEPS: readonly AppliedStep[] = ["level", "tone", "levelOverTime", "bend"];

/** Steps of a filter fitted to one half where there are other stages: what further steps bring is less than what those leave. */
const STEPS_OF_A_HALF = 32;

type Applied = { gain: number; signals: Signals };

/** Here with a chain applied up to each step, at the gain that leaves least where `fitted` is not 0; with all of it, as it is. */
export function appliedUpToEachStep(
  pair: PairSignals,
  chain: Chain,
  fitted: Float64Array,
  isHeldOut: boolean,
): Record<AppliedStep, Applied> {
  const found = new Map<number, Applied>();
  // Steps take on one kind after another: as many stages are the same ones.
  const upTo = (step: AppliedStep): Applied => {
    const own = chain.filter(({ kind }) => STEP_KINDS[step].includes(kind));
    const known = found.get(own.length) ?? through(own);
    found.set(own.length, known);
    return known;
  };
  const through = (own: Chain): Applied => {
    const signals = throughChain(pair.here, own, pair.sampleRateHz, isHeldOut);
    if (own.length === chain.length && own.length > 0) return { gain: 1, signals };
    const gain = leastSquaresGain(fitted, signals, pair.yonder);
    return { gain, signals: signals.map((s) => scaled(s, gain)) };
  };
  return { level: upTo("level"), tone: upTo("tone"), levelOverTime: upTo("levelOverTime"), bend: upTo("bend") };
}

/** A chain fitted anew on the frames of a weight: filters from nothing, so that nothing of the other half is in them. */
function fittedOnHalf(pair: PairSignals, chain: Chain, half: Float64Array, pause: () => void): Chain {
  let own = chain;
  for (const [place, stage] of chain.entries()) {
    if (stage.kind !== "filter" && stage.kind !== "cascade") continue;
    const { under, wanted, weights } = aroundStage(pair, own, place, half);
    if (stage.kind === "filter") {
      const { taps, lead, hasCrosstalk } = stage.eq;
      own = own.with(place, {
        kind: "filter",
        eq: fitEq(
          under,
          wanted,
          weights,
          { taps, lead, hasCrosstalk },
          undefined,
          chain.length > 1 ? STEPS_OF_A_HALF : undefined,
        ),
      });
    } else
      own = own.with(
        place,
        refinedCascade({ inputs: under, targets: wanted, weights }, stage, pause, { mostSteps: 1 }).stage,
      );
  }
  // Gains alone are fitted again for held-out slices in any case.
  const hasMore =
    chain.some(({ kind }) => kind === "gain" || kind === "saturation") && chain.some((s) => s.kind !== "gain");
  return hasMore ? fitStagesAlternately(pair, own, { weight: half, rounds: 1, pause }).chain : own;
}

/** What each step leaves of each half when it was fitted on the other. */
export function crossValidated(pair: PairSignals, chain: Chain, pause: () => void): Record<AppliedStep, number> {
  const sums = { level: 0, tone: 0, levelOverTime: 0, bend: 0 };
  for (const [h, half] of pair.halves.entries()) {
    pause();
    // Gains are judged on slices of their own, over both halves.
    const own = withHeldOutGains(pair, fittedOnHalf(pair, chain, half, pause));
    const applied = appliedUpToEachStep(pair, own, half, true);
    for (const step of STEPS) sums[step] += energyOf(pair.halves[1 - h], pair.yonder, applied[step].signals);
  }
  return sums;
}
