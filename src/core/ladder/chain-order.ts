import { fitStagesAlternately, type Settled } from "./chain-fit";
import { isByFrequency } from "./gain-fit";
import { MIN_IMPROVEMENT_HALF_DB } from "./improvements";
import type { PairSignals } from "./pair-signals";
import type { Pause } from "./search-basics";
import { type Chain, causeOf, residualBy } from "./stages";

/** Stages of another order that leaves this much more at once cannot come near by being fitted (9 dB). */
const FAR_OFF = 8;

/** A chain in the order that leaves least, and other orders that leave no more than half a dB more: between those it is not known. */
export type Ordered = Settled & { alternatives: Chain[] };

/** Neighbours of a chain are tried the other way round, and kept so where that clearly leaves less. */
export function inBestOrder(pair: PairSignals, given: Settled, pause: Pause): Ordered {
  let best = given;
  let others: Settled[] = [];
  const tried = new Set([orderOf(given.chain)]);
  for (let isOpen = true; isOpen; ) {
    const turned = turnedOrders(best.chain).filter((chain) => !tried.has(orderOf(chain)));
    for (const chain of turned) tried.add(orderOf(chain));
    const settled = turned.flatMap((chain) => {
      pause();
      return residualBy(pair, chain) > FAR_OFF * best.left
        ? []
        : [fitStagesAlternately(pair, chain, { rounds: 1, pause })];
    });
    others = [...others, ...settled];
    const least = settled.reduce<Settled | null>((a, b) => (a && a.left <= b.left ? a : b), null);
    isOpen = least !== null && least.left < MIN_IMPROVEMENT_HALF_DB * best.left;
    if (least && isOpen) {
      others = [...others.filter((o) => o !== least), best];
      best = least;
    }
  }
  const asGood = others.filter(({ left }) => left * MIN_IMPROVEMENT_HALF_DB <= best.left);
  return { ...best, alternatives: asGood.map(({ chain }) => chain) };
}

/** Kinds of stages one after another: filters are never neighbours, so that tells orders apart. */
const orderOf = (chain: Chain): string => chain.map(causeOf).join();

/** A chain with each two neighbours the other way round. */
const turnedOrders = (chain: Chain): Chain[] =>
  chain.slice(1).flatMap((second, i): Chain[] => {
    const first = chain[i];
    const isBanded = [first, second].some((s) => s.kind === "gain" && isByFrequency(s.gain));
    if (isBanded || causeOf(first) === causeOf(second)) return [];
    const turned = [...chain.slice(0, i), second, first, ...chain.slice(i + 2)];
    // Filters side by side are one.
    return turned.some((s, k) => k > 0 && causeOf(s) === "eq" && causeOf(turned[k - 1]) === "eq") ? [] : [turned];
  });
