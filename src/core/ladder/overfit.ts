import { fitStagesAlternately } from "./chain-fit";
import { crossValidated } from "./cross-validation";
import type { AppliedStep } from "./found-chain";
import type { PairSignals } from "./pair-signals";
import type { Pause } from "./search-basics";
import type { Chain, FilterStage } from "./stages";

/** A chain that leaves so much more of what it was not fitted on (15 dB) has more unknowns than its sound tells of. */
const OVERFIT = 30;
/** Filters are tried at these shares of their taps, and without. */
const SHORTER = [1 / 4, 1 / 16];
const LEAST_TAPS = 32;
const ROUNDS = 6;
const MOST_TURNS = 3;
/** Fewer unknowns have to leave less of the other half by this (1 dB). */
const ENOUGH = 0.8;

export type Judged = { chain: Chain; left: number; crossValidated: Record<AppliedStep, number> };

/**
 * A chain with filters as short as they have to be to hold on the half that they were not fitted on, or without those that do not: energies come from a fit to all that
 * is judged, and taps that nothing but chance speaks for lower them, too.
 */
export function withoutOverfit(pair: PairSignals, given: Judged, pause: Pause): Judged {
  let best = given;
  for (let turn = 0; turn < MOST_TURNS && isOverfit(best); turn++) {
    const now = best;
    for (const tried of simpler(now.chain)) {
      pause("Trying with less");
      const { chain, left } = fitStagesAlternately(pair, tried, { rounds: ROUNDS, pause });
      if (left > ENOUGH * best.crossValidated.bend) continue;
      const own = { chain, left, crossValidated: crossValidated(pair, chain, pause) };
      if (own.crossValidated.bend < ENOUGH * best.crossValidated.bend) best = own;
    }
    if (best === now) break;
  }
  return best;
}

const isOverfit = ({ chain, left, crossValidated }: Judged): boolean =>
  chain.length > 1 && chain.some(({ kind }) => kind === "filter") && crossValidated.bend > OVERFIT * left;

/** A chain without one of its filters, what stays as it is or short, and with one of them shorter. */
function simpler(chain: Chain): Chain[] {
  return chain.flatMap((stage, place) => {
    if (stage.kind !== "filter") return [];
    const without = chain.toSpliced(place, 1);
    const short = without.map((s) => (s.kind === "filter" ? cutTo(s, SHORTER[1]) : s));
    return [without, short, ...SHORTER.map((share) => chain.with(place, cutTo(stage, share)))];
  });
}

function cutTo({ eq }: FilterStage, share: number): FilterStage {
  const taps = Math.min(eq.taps, Math.max(LEAST_TAPS, 2 * eq.lead, Math.round(share * eq.taps)));
  const filters = eq.filters.map((f) => ({ ...f, responses: f.responses.map((h) => h.slice(0, taps)) }));
  return { kind: "filter", eq: { ...eq, taps, filters } };
}
