import { z } from "zod";
import { chainSchema } from "../../processors/chain";

/** One way a processor can be set: what stands fixed, the numbers that are fitted, and values a search begins from. */
export type Way = {
  fixed: Record<string, string>;
  /** What stands otherwise while beginnings are tried, where that is much faster. */
  quick?: Record<string, string>;
  numbers: readonly string[];
  tried: Partial<Record<string, readonly number[]>>;
};

const THRESHOLDS_DB = [-36, -24, -14];

/** Processors whose gain over time can be looked for, by what is to be fitted. */
export const DYNAMICS: Record<string, readonly Way[]> = {
  "feed-forward-compressor": ["peak", "RMS"].map((detector) => ({
    fixed: { detector },
    numbers: [
      "thresholdDb",
      "ratio",
      "kneeDb",
      "attackMs",
      "releaseMs",
      "makeupDb",
      ...(detector === "RMS" ? ["rmsMs"] : []),
    ],
    tried: { thresholdDb: THRESHOLDS_DB, ratio: [3], attackMs: [3, 30], releaseMs: [60, 400] },
  })),
  "slow-leveller": [
    {
      fixed: {},
      numbers: ["thresholdDb", "ratio", "kneeDb", "attackMs", "fastReleaseMs", "slowReleaseMs", "makeupDb"],
      tried: { thresholdDb: THRESHOLDS_DB, attackMs: [3, 30] },
    },
  ],
  "upward-compressor": [
    {
      fixed: {},
      numbers: ["thresholdDb", "ratio", "rangeDb", "attackMs", "releaseMs", "outputDb"],
      tried: { thresholdDb: [-50, -30, -15], attackMs: [3, 30] },
    },
  ],
  "true-peak-limiter": [
    {
      fixed: {},
      quick: { detection: "sample peak" },
      numbers: ["inputDb", "ceilingDb", "fastReleaseMs", "slowReleaseMs"],
      tried: { inputDb: [0, 8], ceilingDb: [-1, -10], fastReleaseMs: [10, 80] },
    },
  ],
};

export const foundDynamicsSchema = z.object({
  chain: chainSchema,
  /** Gain over time as it was wanted and as it was found; null where the passage is too quiet to tell. */
  seconds: z.array(z.number()),
  wantedDb: z.array(z.number().nullable()),
  foundDb: z.array(z.number().nullable()),
  /** What remains between the two over the whole passage: effective value, the most, and where. */
  leftDb: z.number(),
  mostLeftDb: z.number(),
  mostLeftSeconds: z.number(),
  /** How much the wanted gain moves about its mean, effective value. */
  movesDb: z.number(),
  unreached: z.array(z.string()),
});
export type FoundDynamics = z.infer<typeof foundDynamicsSchema>;

/** A gain over time that comes as near as this is as good as the same (dB, effective). */
export const AS_GOOD_GAIN_DB = 0.15;
