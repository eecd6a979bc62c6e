import { decibels } from "./units";

/** Under this hardly anything returns; over that it clips (dBFS). */
const LEAST_DBFS = -50;
const CLIPS_DBFS = -0.1;

/** The level of what returns from a device, before it is measured. */
export function levelCheckWords(peakDbfs: number): string {
  if (peakDbfs < LEAST_DBFS)
    return `Almost no signal returns (${Number.isFinite(peakDbfs) ? decibels(peakDbfs, "dBFS") : "silence"}). Check the cable, the input and its gain, then try again.`;
  const level = decibels(peakDbfs, "dBFS");
  if (peakDbfs > CLIPS_DBFS) return `The return clips (${level}). Turn the input or the peak down, then check again.`;
  return `Returns at ${level}: ${decibels(-peakDbfs)} of headroom. Measure, or adjust and check again.`;
}
