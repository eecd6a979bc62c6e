import { amplitudeFromDb } from "@/core/audio/decibels";

export const HEARD = ["here", "yonder", "difference"] as const;
export type Heard = (typeof HEARD)[number];

export type MonitorSettings = {
  heard: Heard;
  /** Level-matched, or exactly as the files came. */
  matched: boolean;
  hereGainDb: number;
  yonderGainDb: number;
  /** The gain on Yonder over Here's that nulls deepest; null before it is known. */
  nullGainDb: number | null;
  boostDb: number;
  /** Yonder inverted. */
  flipped?: boolean;
};

/** Linear gains of the voices [Here, Yonder] for what is to be heard. The difference is Yonder minus Here. */
export function monitorGains(settings: MonitorSettings): [number, number] {
  const here = settings.matched ? amplitudeFromDb(settings.hereGainDb) : 1;
  const sign = settings.flipped ? -1 : 1;
  const yonder = sign * (settings.matched ? amplitudeFromDb(settings.yonderGainDb) : 1);
  if (settings.heard === "here") return [here, 0];
  if (settings.heard === "yonder") return [0, yonder];
  const boost = amplitudeFromDb(settings.boostDb);
  const subtracted =
    settings.matched && settings.nullGainDb !== null ? sign * here * amplitudeFromDb(settings.nullGainDb) : yonder;
  return [-here * boost, subtracted * boost];
}

export const BOOST_STEPS_DB = [0, 6, 12, 18, 24, 30, 36, 42, 48, 54, 60] as const;

/** What the two renders are, over the stretch that is heard: energies of either, and their product. */
export type PairEnergies = { here: number; yonder: number; product: number };

/** What of a difference of two energies is rounding of 32-bit samples. */
const ROUNDING = 1e-14;

/**
 * The boost asked for, held so that the difference is never louder than Here: worked out from the very gains that both are played at and
 * from what both are, never from a figure reported elsewhere. None before that is known. Unheld where nothing at all is left.
 */
export function heldBoostDb(settings: MonitorSettings, energies: PairEnergies | null): number {
  if (!energies) return 0;
  const [here] = monitorGains({ ...settings, heard: "here" });
  const [minus, plus] = monitorGains({ ...settings, heard: "difference", boostDb: 0 });
  const terms = [minus * minus * energies.here, plus * plus * energies.yonder, 2 * minus * plus * energies.product];
  const left = terms[0] + terms[1] + terms[2];
  if (left <= ROUNDING * (terms[0] + terms[1])) return settings.boostDb;
  const roomDb = 10 * Math.log10((here * here * energies.here) / left);
  return Math.max(0, Math.min(settings.boostDb, roomDb));
}
