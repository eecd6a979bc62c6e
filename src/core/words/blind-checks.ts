import type { Doubt } from "../alignment/doubts";
import { doubtsWords } from "./alignment";
import { listed, number, withUnit } from "./units";

/** What is said of the checks before a run; a check that was overruled is kept with its sentence. */
export const CHECK_WORDS = {
  level: {
    wait: "Measuring remaining level…",
    silent: (titles: readonly string[]) => `${listed(titles)}: silent here, so there is no level to match.`,
    unequal: (loudest: string, quietest: string, byDb: number, unit: string, limit: number) =>
      `${loudest} is ${withUnit(number(byDb, 2), unit)} louder here than ${quietest}. Above the ${withUnit(number(limit), unit)} limit, level could decide the run.`,
    fine: (remaining: number, unit: string) =>
      `${withUnit(number(remaining, 2), unit)} remaining after matching: fair.`,
  },
  alignment: {
    wait: "Aligning…",
    lost: (titles: readonly string[]) =>
      `${listed(titles)}: not aligned, so a jump in time gives it away. Leave it out, or add a render of the same passage.`,
    doubted: (title: string, doubts: readonly Doubt[]) =>
      `${title}: alignment has low confidence (${doubtsWords(doubts)}).`,
    fine: "All are aligned.",
  },
  coverage: {
    wait: "Checking that all cover this stretch…",
    lacking: (titles: readonly string[]) =>
      `${listed(titles)}: part of this stretch is missing, so silence gives it away.`,
    fine: "All cover this stretch.",
  },
  length: {
    short: (seconds: number) => `This stretch is under ${withUnit(number(seconds), "s")}. Choose a longer one.`,
    fine: "All play the same stretch, to the sample.",
  },
  clipping: {
    wait: "Measuring peaks…",
    clips: (titles: readonly string[]) => `${listed(titles)}: clips on playback here. Match to a lower level.`,
    fine: "Nothing clips on playback.",
  },
  notChecked: "Not checked while part of this stretch is missing.",
} as const;
