import type { GainModel } from "../bench/kind/gain-model";

/** A hard 4:1 from −30 dBFS of 10 and 100 ms, well known, and what is said of it otherwise. */
export const gainModel = (own: Partial<GainModel> = {}): GainModel => ({
  curve: "downward",
  detector: "gain",
  thresholdDbfs: -30,
  ratio: 4,
  kneeDb: 0,
  rangeDb: 0,
  gainDb: 0,
  downMs: 10,
  upMs: 100,
  holdMs: 0,
  lookAheadMs: 0,
  rmsMs: 0,
  mix: 1,
  errors: { thresholdDb: 0.01, slope: 0.001, ratioShare: 0.004, kneeDb: 0.1, downShare: 0, upShare: 0, holdMs: 0 },
  fittedDb: 0.01,
  heldOutDb: 0.01,
  spanDb: 13.5,
  ...own,
});
