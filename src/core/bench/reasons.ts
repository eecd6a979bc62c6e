/** Why a figure is not reported. */
export const REASONS = [
  "spoiled",
  "noise",
  "unsteady",
  "rings",
  "memory",
  "slow",
  "noModel",
  "bands",
  "memoryless",
  "gainMoves",
  "coded",
  "parallel",
  "undetermined",
  "noReference",
  "notSent",
  "earlierVersion",
  "loopBack",
] as const;
export type Reason = (typeof REASONS)[number];
