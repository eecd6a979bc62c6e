import { dbFromPower } from "../audio/decibels";
import { fitStagesAlternately } from "./chain-fit";
import { oversampled } from "./fitted-chain";
import type { PairSignals } from "./pair-signals";
import { FREE_OVERSAMPLING } from "./saturation-curve";
import type { Pause } from "./search-basics";
import { type Chain, throughChain } from "./stages";

/** Parts of a region that each count as one observation of how much aliases. */
const BLOCK_SECONDS = 0.1;
const LEAST_BLOCKS = 4;
/** Errors that a share is reported beyond: three standard errors. */
const ERRORS = 3;
/** Reported where at least so much of what the file's own rate would reflect is there, */
const ALIASES_FROM = 0.5;
/** and denied where no more than so much can be: what filters between two rates take off near the lower rate's Nyquist looks like a little of it. */
const FREE_TO = 0.25;
/** Reflected products under this re Yonder (dB) are not looked for: windows leave up to −99 dB of their own. */
const LEAST_REFLECTED_DB = -90;

/** What Yonder has of the products that curves at the file's own rate reflect at Nyquist. */
export type Aliasing = {
  /** True: at least half of them. False: a quarter at the most. Null: neither is known. */
  aliasing: boolean | null;
  /** How much more is left free of aliasing than at the file's own rate, all else alike, dB. */
  aliasingLeadDb: number | null;
};

/** Of noise, each knot of a curve takes on as much as one frame has: reflected products have to stand over that by this (20 dB). */
const OVER_CHANCE = 100;

type Share = { share: number; error: number; isOverChance: boolean; reflectedDb: number; leadDb: number };

/**
 * Whether the curves of a chain alias: Yonder less the chain free of aliasing is compared with what the file's own rate adds to that chain, which curves free of it
 * cannot make. A chain that was fitted at the own rate is also fitted free of aliasing, and both have to agree: a curve takes on a little of what its rate makes.
 */
export function aliasingOf(pair: PairSignals, chain: Chain, pause: Pause): Aliasing {
  const isFree = chain.some((s) => s.kind === "saturation" && s.curves[0].oversampling > 1);
  const own = reflectedShare(pair, chain);
  if (!own) return { aliasing: null, aliasingLeadDb: null };
  const { leadDb } = own;
  const isOpen = !own.isOverChance || own.reflectedDb < LEAST_REFLECTED_DB || told(own) === null;
  if (isOpen || isFree) return { aliasing: isOpen ? null : told(own), aliasingLeadDb: leadDb };
  const free = fitStagesAlternately(pair, oversampled(chain, FREE_OVERSAMPLING), { rounds: 1, pause });
  const other = reflectedShare(pair, free.chain);
  return { aliasing: other && told(other) === told(own) ? told(own) : null, aliasingLeadDb: leadDb };
}

const told = ({ share, error }: Share): boolean | null =>
  share - ERRORS * error >= ALIASES_FROM ? true : share + ERRORS * error <= FREE_TO ? false : null;

/**
 * How much of what a chain's curves reflect is in Yonder, by least squares: 1 without oversampling, 0 free of aliasing. Its standard error is that of a ratio of sums
 * over blocks (Cochran, Sampling Techniques, 1977, section 2.11). Null where the curves reflect nothing or there are too few blocks.
 */
function reflectedShare(pair: PairSignals, chain: Chain): Share | null {
  const { here, yonder, judged, sampleRateHz } = pair;
  const free = throughChain(here, oversampled(chain, FREE_OVERSAMPLING), sampleRateHz, true);
  const plain = throughChain(here, oversampled(chain, 1), sampleRateHz, true);
  const block = Math.round(BLOCK_SECONDS * sampleRateHz);
  const products: number[] = [];
  const energies: number[] = [];
  let [whole, leftFree] = [0, 0];
  for (let at = 0; at < judged.length; at += block) {
    let [product, energy] = [0, 0];
    for (const [c, wanted] of yonder.entries()) {
      for (let n = at; n < Math.min(judged.length, at + block); n++) {
        if (judged[n] === 0) continue;
        const reflected = plain[c][n] - free[c][n];
        const missing = wanted[n] - free[c][n];
        product += missing * reflected;
        energy += reflected * reflected;
        leftFree += missing * missing;
        whole += wanted[n] * wanted[n];
      }
    }
    if (energy === 0) continue;
    products.push(product);
    energies.push(energy);
  }
  const count = energies.length;
  const energy = energies.reduce((a, b) => a + b, 0);
  if (count < LEAST_BLOCKS) return null;
  const product = products.reduce((a, b) => a + b, 0);
  const share = product / energy;
  const spread = products.reduce((sum, p, i) => sum + (p - share * energies[i]) ** 2, 0);
  // |m − r|² = |m|² − 2 m·r + |r|²: the residual at the own rate.
  const leftPlain = Math.max(leftFree - 2 * product + energy, 1e-300);
  const knots = chain.reduce((sum, s) => sum + (s.kind === "saturation" ? s.curves[0].knots.length : 0), 0);
  return {
    share,
    isOverChance: energy > (OVER_CHANCE * leftPlain * knots) / pair.judgedFrames,
    error: Math.sqrt((spread * count) / (count - 1)) / energy,
    reflectedDb: dbFromPower(energy / whole),
    leadDb: dbFromPower(leftFree / leftPlain),
  };
}
