import { amplitudeFromDb } from "@/core/audio/decibels";

export type Heard = "here" | "yonder" | "difference";

export type MonitorSettings = {
  heard: Heard;
  /** Level-matched, or exactly as the files came. */
  matched: boolean;
  hereGainDb: number;
  yonderGainDb: number;
  /** The gain on Yonder over Here's that nulls deepest; null before it is known. */
  nullGainDb: number | null;
  boostDb: number;
};

/** Linear gains of the voices [Here, Yonder] for what is to be heard. The difference is Yonder minus Here. */
export function monitorGains(settings: MonitorSettings): [number, number] {
  const here = settings.matched ? amplitudeFromDb(settings.hereGainDb) : 1;
  const yonder = settings.matched ? amplitudeFromDb(settings.yonderGainDb) : 1;
  if (settings.heard === "here") return [here, 0];
  if (settings.heard === "yonder") return [0, yonder];
  const boost = amplitudeFromDb(settings.boostDb);
  const subtracted =
    settings.matched && settings.nullGainDb !== null ? here * amplitudeFromDb(settings.nullGainDb) : yonder;
  return [-here * boost, subtracted * boost];
}

export const BOOST_STEPS_DB = [0, 6, 12, 18, 24, 30, 36, 42, 48] as const;

/**
 * The boost asked for, held so that the difference never sounds louder than Here: at a null depth of −20 dB up to 20 dB
 * of boost. Unheld where nothing is left (digital silence) or no depth is known yet: then none.
 */
export function heldBoostDb(askedDb: number, nullDb: number | null, silent: boolean): number {
  if (silent) return askedDb;
  return nullDb === null ? 0 : Math.min(askedDb, Math.max(0, -nullDb));
}
