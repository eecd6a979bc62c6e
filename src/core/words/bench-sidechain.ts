import type { SidechainResponse } from "../bench/read/sidechain-response";
import { decibels, millisecondWords, number, withUnit } from "./units";

/** Gain that moves by less is moved by nothing (dB). */
const MOVES_DB = 0.3;
/** A key that moves the gain alike within this at all frequencies is not filtered (dB). */
const FLAT_DB = 0.5;

/** What a sidechain signal does to gain; null where there is no sidechain input. */
export function sidechainSentence(key: SidechainResponse | null | undefined): string | null {
  if (!key) return null;
  if (Math.abs(key.reductionDb) < MOVES_DB) return "Sidechain: no gain change at these levels.";
  const gains = key.frequencies.map(({ gainDb }) => gainDb);
  const isFlat = gains.length > 0 && Math.max(...gains) - Math.min(...gains) < FLAT_DB;
  // A sidechain filter changes the peaks of a wave.
  const staticCurve =
    key.thresholdDbfs !== null && key.ratio !== null && isFlat
      ? `threshold ${decibels(key.thresholdDbfs, "dBFS")}, ratio ${number(key.ratio, 1)}:1`
      : `a 30 dB step reduces gain by ${decibels(key.reductionDb)}`;
  const times =
    key.attackMs !== null && key.releaseMs !== null
      ? `, attack ${millisecondWords(key.attackMs)}, release ${millisecondWords(key.releaseMs)}`
      : "";
  const loudest = Math.min(0, ...gains);
  const low = key.frequencies.filter(({ gainDb }) => gainDb > loudest / 2).map(({ hertz }) => hertz);
  const deaf =
    low.length > 0 && low.length < key.frequencies.length
      ? ` Low sensitivity at ${low.map((hertz) => withUnit(number(hertz, 0), "Hz")).join(", ")}.`
      : "";
  return `Sidechain: ${staticCurve}${times}.${deaf}`;
}
