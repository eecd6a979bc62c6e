import type { AbxSide } from "@/core/blind/answer";
import type { RightOrWrongResult } from "@/core/blind/result";
import type { Run, RunMatch, Stimulus } from "@/core/blind/run";

/** A run as tables kept it to version 4: ABX alone, of two sides. */
export type RunOfVersion4 = Omit<Run, "stimuli" | "match" | "plan" | "trials" | "result" | "opened"> & {
  here: Omit<Stimulus, "role" | "gainDb">;
  yonder: Omit<Stimulus, "role" | "gainDb">;
  plan: { kind: "abx"; trials: number; rightNeeded: number };
  match: RunMatch & { hereGainDb: number; yonderGainDb: number; overruled: boolean };
  trials: { answer: AbxSide; answeredAt: string; listeningSeconds: number }[];
  result: Omit<RightOrWrongResult, "kind" | "missed"> | null;
  opened: { order: AbxSide[]; saltHex: string } | null;
};

/** X of one trial as the seats A, X, B. */
export const seatsOfVersion4 = (x: AbxSide): number[] => [0, x === "A" ? 0 : 1, 1];

/** The same run as it is kept now; its seal is of the earliest form. */
export function runOfVersion4(old: RunOfVersion4): Run {
  const { here, yonder, match, plan, trials, result, opened, ...rest } = old;
  const { hereGainDb, yonderGainDb, overruled, ...kept } = match;
  return {
    ...rest,
    stimuli: [
      { ...here, role: "candidate", gainDb: hereGainDb },
      { ...yonder, role: "candidate", gainDb: yonderGainDb },
    ],
    reference: null,
    match: kept,
    plan: {
      ...plan,
      effect: null,
      power: null,
      training: 0,
      secondsPerTrial: null,
      series: null,
      loop: "fixed",
    },
    overruled: overruled ? [{ name: "level", said: "The level check was overruled." }] : [],
    listener: null,
    above: null,
    packId: null,
    sealForm: 1,
    trained: { taken: 0, right: 0 },
    trials: trials.map(({ answer, ...trial }) => ({ ...trial, answer: { side: answer }, loop: null })),
    result: result && { kind: "right or wrong", missed: 0, ...result },
    opened: opened && { saltHex: opened.saltHex, order: opened.order.map(seatsOfVersion4) },
  };
}
