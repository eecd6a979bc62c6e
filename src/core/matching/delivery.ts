import { z } from "zod";
import type { Levels } from "../loudness/measure";

/** What a delivery asks for. */
export const deliveryTargetSchema = z.object({
  integratedLufs: z.number().min(-40).max(0),
  /** How far the loudness may be off, either way. */
  toleranceLu: z.number().min(0).max(3),
  truePeakDbtp: z.number().min(-20).max(0),
});
export type DeliveryTarget = z.infer<typeof deliveryTargetSchema>;

/**
 * Broadcast: EBU R 128 (−23 LUFS ± 0.5 LU, at most −1 dBTP). Streaming −14 LUFS and −1 dBTP, loud master −9 LUFS: common practice,
 * no published source; so are their tolerances.
 */
export const DELIVERY_TARGETS = {
  streaming: { title: "Streaming", integratedLufs: -14, toleranceLu: 0.5, truePeakDbtp: -1 },
  loud: { title: "Loud master", integratedLufs: -9, toleranceLu: 0.5, truePeakDbtp: -1 },
  broadcast: { title: "Broadcast", integratedLufs: -23, toleranceLu: 0.5, truePeakDbtp: -1 },
} as const;
export type DeliveryKey = keyof typeof DELIVERY_TARGETS | "own";

export type DeliveryVerdict = {
  /** Louder (positive) or quieter than the target; null without a loudness. */
  offLu: number | null;
  loudnessPasses: boolean | null;
  /** How far the true peak passes the limit; 0 or less is within it. null for silence. */
  overDb: number | null;
  peakPasses: boolean | null;
};

type DeliveryLevels = Pick<Levels, "integratedLufs" | "truePeakDbtp">;

/** Figures off by less than this read as equal: loudness is shown to a tenth, and files are rounded when they are written. */
const ROUNDING = 0.005;

/** Whether a file would be taken as it is, or by how much not. */
export function deliveryVerdict(levels: DeliveryLevels, target: DeliveryTarget): DeliveryVerdict {
  const offLu = levels.integratedLufs === null ? null : levels.integratedLufs - target.integratedLufs;
  const overDb = levels.truePeakDbtp === null ? null : levels.truePeakDbtp - target.truePeakDbtp;
  return {
    offLu,
    loudnessPasses: offLu === null ? null : Math.abs(offLu) <= target.toleranceLu + ROUNDING,
    overDb,
    peakPasses: overDb === null ? null : overDb <= ROUNDING,
  };
}

export type TurnDown = {
  /** What a platform that plays everything at the target would change: down for what is louder, nothing for what is quieter. */
  gainDb: number;
  integratedLufs: number;
  truePeakDbtp: number | null;
  /** How far a platform that also lifts could lift it before its true peak meets the limit; 0 for what is turned down. */
  liftDb: number;
};

/** What becomes of a file on a platform that turns down what is louder than the target; null without a loudness. */
export function turnDown({ integratedLufs, truePeakDbtp }: DeliveryLevels, target: DeliveryTarget): TurnDown | null {
  if (integratedLufs === null) return null;
  const gainDb = Math.min(0, target.integratedLufs - integratedLufs) + 0;
  const headroom = truePeakDbtp === null ? 0 : Math.max(0, target.truePeakDbtp - truePeakDbtp);
  return {
    gainDb,
    integratedLufs: integratedLufs + gainDb,
    truePeakDbtp: truePeakDbtp === null ? null : truePeakDbtp + gainDb,
    liftDb: Math.min(headroom, Math.max(0, target.integratedLufs - integratedLufs)),
  };
}
