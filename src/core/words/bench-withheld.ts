import type { Reason } from "../bench/reasons";
import type { BenchChannel, BenchReport, Withheld } from "../bench/report";
import { listed } from "./units";

/** Why a figure of a channel is withheld; null where it is known. */
export const whyWithheld = (
  { withheld }: Pick<BenchReport, "withheld">,
  figure: Withheld["figure"],
  of: BenchChannel["channel"] | null,
): Reason | null =>
  withheld.find((w) => w.figure === figure && (w.channel === null || w.channel === of))?.reason ?? null;

const FIGURE_WORDS: Record<Withheld["figure"], string> = {
  latency: "latency",
  response: "response",
  bands: "EQ bands",
  phase: "phase",
  noise: "noise",
  harmonics: "harmonics",
  aliasing: "aliasing",
  intermodulation: "intermodulation",
  staticCurve: "threshold and ratio",
  times: "attack and release",
  besideTone: "gain near a tone",
  passes: "repeatability",
  null: "null depth",
  kind: "kind of processor",
  channels: "other channels",
};

export const REASON_WORDS: Record<Reason, string> = {
  spoiled: "fault in the recording",
  noise: "hidden by noise",
  unsteady: "changes over time",
  rings: "rings too long",
  memory: "gain has memory",
  slow: "gain too slow",
  noModel: "no model predicts it",
  parallel: "dry signal mixed in",
  undetermined: "not determined by the test levels",
  bands: "bands differ",
  memoryless: "memoryless",
  gainMoves: "gain moves at that level",
  coded: "coded",
  noReference: "no loop-back to compare",
  notSent: "not sent or not recorded",
  earlierVersion: "measured by an earlier version",
  loopBack: "not above that of the loop-back",
};

/** Why a figure of the first channel is not known; null where it is. */
export function withheldWords(
  report: Pick<BenchReport, "withheld" | "channels">,
  figure: Withheld["figure"],
): string | null {
  const why = whyWithheld(report, figure, report.channels[0]?.channel ?? "left");
  return why && REASON_WORDS[why];
}

/** Whose figures stand first: one channel's, or those of left and right where these agree. */
export function firstChannelWords(channels: readonly BenchChannel[]): string {
  const [first, ...others] = channels;
  const isOfBoth = first?.channel === "left" && others.some((c) => c.channel === "right" && c.differs.length === 0);
  return isOfBoth ? "left and right" : (first?.channel ?? "left");
}

/** What is not known, and why, in one sentence: the same reason once. */
export function withheldSentence({ withheld, channels }: Pick<BenchReport, "withheld" | "channels">): string | null {
  if (withheld.length === 0) return null;
  const nameOf = (channel: BenchChannel["channel"]) =>
    channel === channels[0]?.channel ? firstChannelWords(channels) : channel;
  const reasons = [...new Set(withheld.map(({ reason }) => reason))];
  const parts = reasons.map((reason) => {
    const ofReason = withheld.filter((w) => w.reason === reason);
    const figures = [...new Set(ofReason.map(({ figure }) => figure))].map((figure) => {
      const of = ofReason
        .filter((w) => w.figure === figure)
        .flatMap(({ channel }) => (channel ? [nameOf(channel)] : []));
      return `${FIGURE_WORDS[figure]}${of.length > 0 ? ` (${listed([...new Set(of)])})` : ""}`;
    });
    return `${figures.join(", ")}: ${REASON_WORDS[reason]}`;
  });
  return `Not known: ${parts.join("; ")}.`;
}
