import betaQuantile from "@stdlib/stats-base-dists-beta-quantile";
import binomialCdf from "@stdlib/stats-base-dists-binomial-cdf";
import normalCdf from "@stdlib/stats-base-dists-normal-cdf";

/** Chance of a right answer for a listener who hears no difference. */
const GUESSING = 0.5;

/**
 * Probability that a listener who guesses gets `right` or more of `trials`: the one-sided exact binomial test against 1/2.
 * `right` 0 to `trials`.
 */
export function guessingProbability(right: number, trials: number): number {
  return chanceOfAtLeast(right, trials, GUESSING);
}

/** Probability of `right` or more of `trials` for a listener who is right with probability `ability` each time. */
export function chanceOfAtLeast(right: number, trials: number, ability: number): number {
  // Counted from the wrong answers: 1 − cdf has nothing left where the chance is under 10⁻¹⁶.
  return right <= 0 ? 1 : binomialCdf(trials - right, trials, 1 - ability);
}

/** The fewest right of `trials` that a listener who guesses reaches with probability `alpha` or less; null when not even all will do. */
export function fewestRight(trials: number, alpha: number): number | null {
  for (let right = 0; right <= trials; right++) if (guessingProbability(right, trials) <= alpha) return right;
  return null;
}

/** The smallest number of trials that catches a listener of `ability` with probability `power` at level `alpha`. */
export function trialsNeeded(ability: number, power: number, alpha: number): { trials: number; right: number } {
  // With a trial more, as many must be right as before, or one more.
  let right = 1;
  for (let trials = 1; trials <= 10_000; trials++) {
    while (right <= trials && guessingProbability(right, trials) > alpha) right++;
    if (right <= trials && chanceOfAtLeast(right, trials, ability) >= power) return { trials, right };
  }
  throw new RangeError(`no number of trials under 10 000 catches a listener of ability ${ability}`);
}

/** The confidence of the interval reported: its lower end alone is wrong in 5 of 100 cases, as the one-sided test at 5 % is. */
export const INTERVAL_CONFIDENCE = 0.9;

/** Chance that at least one of several tests, each passed by a listener who guesses with its own chance, is passed by guessing. */
export const chanceOfAny = (chances: readonly number[]): number =>
  1 - chances.reduce((none, chance) => none * (1 - chance), 1);

/** Clopper and Pearson's exact two-sided interval for the true share of right answers (Biometrika 26, 1934). */
export function abilityInterval(
  right: number,
  trials: number,
  confidence = INTERVAL_CONFIDENCE,
): { low: number; high: number } {
  const tail = (1 - confidence) / 2;
  return {
    low: right === 0 ? 0 : betaQuantile(tail, right, trials - right + 1),
    high: right === trials ? 1 : betaQuantile(1 - tail, right + 1, trials - right),
  };
}

/** Share of right answers of an unbiased listener with sensitivity d. */
type Psychometric = (d: number) => number;

const phi = (z: number): number => normalCdf(z, 0, 1);

/** ABX, independent observations (Macmillan and Creelman, Detection Theory; formula from memory, checked by simulation). */
export const abxShare: Psychometric = (d) => phi(d / Math.SQRT2) * phi(d / 2) + phi(-d / Math.SQRT2) * phi(-d / 2);

/** Same or different, independent observations (the same source, from memory, checked by simulation). */
export const sameDifferentShare: Psychometric = (d) => phi(d / 2) * phi(d / 2) + phi(-d / 2) * phi(-d / 2);

const MOST_D_PRIME = 20;

/** d′ of an unbiased listener who is right in the share `shareRight`. 0 at or below one half; null at 1, where no finite d′ answers. */
export function dPrime(shareRight: number, share: Psychometric = abxShare): number | null {
  if (shareRight >= 1) return null;
  if (shareRight <= GUESSING) return 0;
  let low = 0;
  let high = MOST_D_PRIME;
  for (let i = 0; i < 60; i++) {
    const middle = (low + high) / 2;
    if (share(middle) < shareRight) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}
