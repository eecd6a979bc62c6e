/** One presentation: a tone, or silence to catch who says yes to everything; and whether the listener said it was there. */
export type Presentation = { hertz: number | null; heard: boolean };

/** From the top down; half the sample rate with room for the converter's filter is the top. */
const STEPS_HZ = Array.from({ length: 13 }, (_, i) => 20_000 - 1000 * i);
const HIGHEST_SHARE_OF_RATE = 0.45;
export const hearingSteps = (sampleRateHz: number): number[] =>
  STEPS_HZ.filter((hertz) => hertz <= HIGHEST_SHARE_OF_RATE * sampleRateHz);

/** A tone counts as heard at two yeses, as not heard at two noes. */
const DECIDING = 2;
/** Someone who says yes by the toss of a coin keeps to one false alarm in eight in 3.5 % of cases (binomial). */
export const CATCHES = 8;
export const FALSE_ALARMS_ALLOWED = 1;
const CATCH_SHARE = 0.4;

const said = (history: readonly Presentation[], hertz: number | null, heard: boolean): number =>
  history.filter((p) => p.hertz === hertz && p.heard === heard).length;

/** The step to be tried; null when one was heard, or none was. */
function stepToTry(history: readonly Presentation[], steps: readonly number[]): number | null {
  for (const hertz of steps) {
    if (said(history, hertz, true) >= DECIDING) return null;
    if (said(history, hertz, false) < DECIDING) return hertz;
  }
  return null;
}

const catchesShown = (history: readonly Presentation[]): number => history.filter((p) => p.hertz === null).length;

export type NextPresentation = { done: false; hertz: number | null } | { done: true };

/** What comes next, with `drawn` from 0 up to 1 deciding between tone and silence. */
export function nextPresentation(
  history: readonly Presentation[],
  steps: readonly number[],
  drawn: number,
): NextPresentation {
  // Too many false alarms: nothing that follows would count.
  if (said(history, null, true) > FALSE_ALARMS_ALLOWED) return { done: true };
  const hertz = stepToTry(history, steps);
  const shown = catchesShown(history);
  if (hertz === null) {
    if (shown >= CATCHES) return { done: true };
    // Silence alone would be known for what it is: the last tone comes up among it, and no longer counts.
    const last = history.findLast((p) => p.hertz !== null)?.hertz ?? null;
    return { done: false, hertz: drawn < CATCH_SHARE ? last : null };
  }
  return { done: false, hertz: drawn < CATCH_SHARE ? null : hertz };
}

export type HearingResult =
  | { known: true; highestHz: number | null; nextHz: number | null }
  /** Said yes to silence too often. */
  | { known: false };

/** The highest step heard, and the one above it that was not; no step at all where none was heard. */
export function hearingResult(history: readonly Presentation[], steps: readonly number[]): HearingResult {
  if (said(history, null, true) > FALSE_ALARMS_ALLOWED || catchesShown(history) < CATCHES) return { known: false };
  const index = steps.findIndex((hertz) => decidedHeard(history, hertz));
  if (index < 0) return { known: true, highestHz: null, nextHz: steps[steps.length - 1] ?? null };
  return { known: true, highestHz: steps[index], nextHz: index > 0 ? steps[index - 1] : null };
}

/** Decided by the presentations up to the deciding one; what comes up later among the silence does not count. */
function decidedHeard(history: readonly Presentation[], hertz: number): boolean {
  let yes = 0;
  let no = 0;
  for (const p of history) {
    if (p.hertz !== hertz) continue;
    if (p.heard) yes++;
    else no++;
    if (yes >= DECIDING || no >= DECIDING) return yes >= DECIDING;
  }
  return false;
}
