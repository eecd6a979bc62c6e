import type { Alignment, Placement } from "../alignment/alignment";
import type { Doubt, NotAligned } from "../alignment/doubts";
import { clock, number, percentWords, plural, signed, withUnit } from "./units";

/** Below this a delay would read 0.00. */
const LEAST_SHOWN_SAMPLES = 0.005;

const milliseconds = (ms: number): string => withUnit(number(ms, 2), "ms");
const samplesWords = (samples: number): string => {
  const rounded = Math.abs(samples);
  return plural(Number(number(rounded, Number.isInteger(rounded) ? 0 : 1)), "sample");
};

/** Why no alignment was found, as it follows "Not aligned: ". */
export function notAlignedWords(reason: NotAligned): string {
  switch (reason.kind) {
    case "unlike":
      return "no part of it matches the dry render";
    case "dry silent":
      return "the dry render is silent";
    case "render silent":
      return "the render is silent";
    case "no single delay":
      return "no single delay fits all of it";
    case "other speed": {
      const { percent } = reason;
      return `it runs ${withUnit(number(Math.abs(percent), 2), "%")} ${percent < 0 ? "short" : "long"}, so no single delay fits`;
    }
  }
}

function doubtWords(doubt: Doubt): string {
  switch (doubt.kind) {
    case "steady tone":
      return `a steady tone fits again every ${milliseconds(doubt.everyMs)}`;
    case "other place":
      return `${milliseconds(Math.abs(doubt.laterMs))} ${doubt.laterMs > 0 ? "later" : "earlier"} fits nearly as well`;
    case "jump": {
      const what = doubt.samples < 0 ? "missing" : "inserted";
      return `${samplesWords(doubt.samples)} ${what} between ${clock(doubt.fromSeconds)} and ${clock(doubt.toSeconds)}`;
    }
    case "few parts agree":
      return `only ${percentWords(doubt.share)} of the passage agrees on this delay`;
    case "short overlap":
      return `only ${percentWords(doubt.share)} of the shorter render overlaps the other`;
    case "channel delay":
      return `right channel ${samplesWords(doubt.rightLateSamples)} ${doubt.rightLateSamples > 0 ? "later" : "earlier"} than left`;
    case "little coherent":
      return `only ${percentWords(doubt.share)} of its energy is coherent with dry`;
    case "little sound":
      return "too little sound to rule out another take";
    case "polarity unknown":
      return "polarity not known: phase rotation hides it";
    case "channel order unknown":
      return "left and right may be swapped";
    case "delay error":
      return `delay known only to ±${milliseconds(doubt.ms)}`;
  }
}

/** Everything that speaks against an alignment, the gravest first; empty where nothing does. */
export const doubtsWords = (doubts: readonly Doubt[]): string => doubts.map(doubtWords).join("; ");

/** How a render is aligned to dry, in a few words; a coloured dot and the words say the same. */
export function alignmentWords(alignment: Alignment | undefined): {
  words: string;
  /** The same where there is room for a dozen letters only. */
  short: string;
  tone: "good" | "care" | "wrong" | "none";
} {
  if (!alignment) return { words: "Aligning…", short: "Aligning…", tone: "none" };
  if (!alignment.found)
    return { words: `Not aligned: ${notAlignedWords(alignment.reason)}`, short: "Not aligned", tone: "wrong" };
  const { delaySamples, driftPpm, doubts } = alignment;
  // Beside a drift, a delay that would read 0.00 is none.
  const delay = driftPpm && Math.abs(delaySamples) < LEAST_SHOWN_SAMPLES ? 0 : delaySamples;
  const figure = signed(delay, Number.isInteger(delay) ? 0 : 2);
  const channels = channelWords(alignment);
  const long = [
    delay !== 0 && `delay ${figure} ${Math.abs(delay) === 1 ? "sample" : "samples"}`,
    driftPpm && driftWords(driftPpm),
    channels,
  ].filter(Boolean);
  const brief = [delay !== 0 && withUnit(figure, "smp"), driftPpm && withUnit(signed(driftPpm), "ppm"), channels];
  const state = long.length > 0 ? `Aligned: ${long.join(", ")}` : "Aligned";
  const short = brief.filter(Boolean).join(", ") || "Aligned";
  return doubts.length > 0
    ? { words: `${state}. Low confidence: ${doubtsWords(doubts)}`, short: `? ${short}`, tone: "care" }
    : { words: state, short, tone: "good" };
}

/** "drift +50.0 ppm (runs long)" */
export const driftWords = (ppm: number, decimals = 1): string =>
  `drift ${withUnit(signed(ppm, decimals), "ppm")} (runs ${ppm > 0 ? "long" : "short"})`;

/** What was corrected of the channels, in a word or two; empty where nothing was. */
export function channelWords({ polarity: { left, right }, swapped }: Placement): string {
  const inverted = left < 0 && right < 0 ? "inverted" : left < 0 ? "L inverted" : right < 0 ? "R inverted" : "";
  return [inverted, swapped && "L/R swapped"].filter(Boolean).join(", ");
}

/** How many renders of a passage were corrected, are lost, or have low confidence. */
export function alignmentSummary(count: number, moved: number, lost: number, doubtful: number, byHand: number): string {
  const parts = [
    moved === 0 ? "All aligned as delivered" : `${moved} of ${plural(count, "render")} corrected for delay or drift`,
    lost > 0 && `${lost} not aligned`,
    doubtful > 0 && `${doubtful} with low confidence`,
    byHand > 0 && `${byHand} set by hand`,
  ].filter(Boolean);
  return `${parts.join(", ")}.`;
}
