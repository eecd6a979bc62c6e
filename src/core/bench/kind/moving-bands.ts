import type { ChannelReading } from "../read/read-channel";

/** By how much gain moves with level in three places of the band and on steady waves, dB; falling with level is negative. */
export type Moved = { any: boolean; low: number; middle: number; high: number; steady: number };

/** Bands move alike within this part of the most, or this (dB). */
const ALIKE_SHARE = 0.2;
const ALIKE_DB = 1;
/** A gain that spans less than this over all steps is none that follows level (dB). */
export const LEAST_SPAN_DB = 0.5;

/** Whether all of the band moves, or a part of it. */
export function bandsOf(
  { beside, quiet, loud, gains }: ChannelReading,
  moved: Moved,
  remembered: readonly { after: string; db: number }[],
): "whole" | "deEsser" | "dynamicEq" | "multiband" | "unknown" {
  // Where tones of one frequency alone were sent, nothing says that others fare otherwise.
  if (gains.low.length === 0 && gains.high.length === 0) return "whole";
  const memory = (after: string) => remembered.find((m) => m.after === after)?.db ?? 0;
  const [low, middle, high] = [moved.low, moved.middle, moved.high];
  const most = Math.max(Math.abs(low), Math.abs(middle), Math.abs(high));
  const isStill = (db: number) => Math.abs(db) < Math.max(0.3, 0.1 * most);
  if (beside?.kind === "bell") return "dynamicEq";
  if (!isStill(high) && isStill(middle) && isStill(low)) return endsBelowTop(beside) ? "dynamicEq" : "deEsser";
  const alike = Math.max(ALIKE_DB, ALIKE_SHARE * most);
  if (Math.abs(low - middle) < alike && Math.abs(high - middle) < alike) {
    return beside?.kind === "split bands" ? "multiband" : "whole";
  }
  if (beside?.kind === "split bands") return "multiband";
  if (beside?.kind === "whole band") return "whole";
  // A part of the band moves: crossovers turn phase, a bell or a shelf at rest does not.
  if (isStill(low) || isStill(middle) || isStill(high)) {
    const { crossoversHz, turnsNothing } = quiet ?? loud;
    if (crossoversHz.length > 0) return "multiband";
    if (turnsNothing) return "dynamicEq";
  }
  return [memory("low"), memory("middle"), memory("high")].some((db) => db !== 0) ? "unknown" : "whole";
}

/** Whether what a loud tone moves ends before the top of the band: a bell does, what is above an edge does not. Asked of the tones that move most. */
function endsBelowTop(beside: ChannelReading["beside"]): boolean {
  const tones = (beside?.tones ?? [])
    .map(({ changeDb }) => changeDb.filter((db) => !Number.isNaN(db)))
    .filter((known) => known.length > TOP_LINES)
    .map((known) => ({
      deepest: Math.max(...known.map(Math.abs)),
      top: Math.abs(known.slice(-TOP_LINES).reduce((sum, db) => sum + db, 0) / TOP_LINES),
    }));
  const most = Math.max(LEAST_SPAN_DB, ...tones.map(({ deepest }) => deepest));
  return tones.some(({ deepest, top }) => deepest > most / 2 && top < TOP_SHARE * deepest);
}
const TOP_LINES = 3;
const TOP_SHARE = 0.35;
