import type { OverMask } from "../audibility/over-mask";
import { pow } from "../audio/exact-math";
import { type Ladder, stepOf } from "../ladder/ladder-report";
import type { ToneShape } from "./tone-shape";

/** What is left under this is silence for any ear and any purpose. */
const SILENT_DB = -100;
/** Under this, what is left is little. */
const LITTLE_DB = -20;
/** A step has the most of it from this share of the energy on, and nearly all from that. */
const MOST = 0.5;
const NEARLY_ALL = 0.9;
/** A filter's largest change is told from this on. */
const LEAST_TOLD_DB = 0.1;
/** What sets two apart less than this is next to nothing. */
const NEXT_TO_NOTHING_DB = -80;

const powerOf = (db: number | null | undefined) => (db === null || db === undefined ? 0 : pow(10, db / 10));

/** A frequency as people say it. */
export const hertzWords = (hertz: number): string =>
  hertz >= 1000 ? `${Number((hertz / 1000).toPrecision(2))} kHz` : `${Number(hertz.toPrecision(2))} Hz`;

/** Where on the scale a range lies, in words; nothing where it is nearly all of it. */
export function rangeWords([lowHz, highHz]: readonly [number, number]): string {
  const [isLow, isHigh] = [lowHz <= 45, highHz >= 14_000];
  if (isLow && isHigh) return "";
  if (isLow) return ` below ${hertzWords(highHz)}`;
  if (isHigh) return ` above ${hertzWords(lowHz)}`;
  return ` from ${hertzWords(lowHz)} to ${hertzWords(highHz)}`;
}

const rounded = (db: number) => `${db < 0 ? "−" : ""}${Math.abs(Math.round(db))} dB`;

/**
 * One plain sentence or two of what sets a pair apart, from the ladder's figures and no stronger than they are. `tone` is what the filter does.
 */
export function ladderSentence(ladder: Ladder, tone: ToneShape | null): string {
  const [delivered, time, level] = (["delivered", "time", "level"] as const).map((name) => stepOf(ladder, name));
  if (delivered?.residualDb === null && time?.residualDb === null && !ladder.problem)
    return "The two are the same, sample for sample.";
  if (ladder.problem) return ladder.problem;
  if (!level) return "";
  if (time?.residualDb === null) return "Put in time, the two are the same, sample for sample.";
  const left = stepOf(ladder, "left");
  const word = left?.kinds.find(({ kind }) => kind === "rounding" || kind === "dither");
  if ((level.residualDb ?? SILENT_DB) <= SILENT_DB) return `Nothing but ${timeAndLevel(ladder)} sets the two apart.`;
  if (word && powerOf(left?.residualDb) > 0.5 * powerOf(level.residualDb))
    return `Nothing but ${timeAndLevel(ladder)} and ${word.kind === "dither" ? "dither at" : "rounding to"} ${word.bits} bits sets the two apart.`;
  const whole = powerOf(level.residualDb);
  const parts = (["tone", "levelOverTime", "bend"] as const).map((name, i, names) => {
    const before = i === 0 ? level.residualDb : stepOf(ladder, names[i - 1])?.residualDb;
    return { name, share: (powerOf(before) - powerOf(stepOf(ladder, name)?.residualDb)) / whole };
  });
  const rest = powerOf(left?.residualDb) / whole;
  const named = parts.filter((p) => p.share > 0.02).toSorted((a, b) => b.share - a.share);
  const restDb = left?.residualDb ?? null;
  // Little is left only where most of it was explained, too.
  const end =
    restDb === null
      ? "Nothing is left to explain."
      : restDb < LITTLE_DB && rest < MOST
        ? `Nothing above ${rounded(Math.ceil(restDb))} is left to explain.`
        : `What is left, ${rounded(restDb)}, no step explains.`;
  const slight = (level.residualDb ?? 0) < NEXT_TO_NOTHING_DB ? "They are next to the same. " : "";
  if (named.length === 0)
    return rest > 0.9 && (restDb ?? 0) > -1
      ? "No step explains anything of it: by all that can be seen, this is different material."
      : `${slight}Neither a filter, nor a gain over time, nor a bend explains what sets them apart. ${end}`;
  const [first, second] = named;
  const what = partWords(ladder, first.name, tone);
  const amount =
    first.share > NEARLY_ALL
      ? "Nearly all of it is"
      : first.share > MOST
        ? "Most of it is"
        : "The largest part of it is";
  const also = second && first.share <= NEARLY_ALL ? `, then ${partWords(ladder, second.name, tone)}` : "";
  return `${slight}${amount} ${what}${also}. ${end}`;
}

function timeAndLevel(ladder: Ladder): string {
  const time = stepOf(ladder, "time");
  const level = stepOf(ladder, "level");
  const words = [
    time?.delaySamples || time?.driftPpm ? "time" : null,
    time?.polarity === -1 ? "polarity" : null,
    level && Math.abs(level.gainDb ?? 0) > 0.005 ? "level" : null,
  ].filter(Boolean);
  return words.length === 0 ? "the last bits" : words.join(" and ");
}

function partWords(ladder: Ladder, name: "tone" | "levelOverTime" | "bend", tone: ToneShape | null): string {
  if (name === "tone") {
    const crossed = stepOf(ladder, "tone")?.isCrossed ? ", and what left and right have of each other" : "";
    const where = tone ? rangeWords(tone.rangeHz) : "";
    const most =
      tone && Math.abs(tone.mostDb) >= LEAST_TOLD_DB
        ? `, up to ${tone.mostDb > 0 ? "+" : "−"}${Math.abs(tone.mostDb).toFixed(1)} dB near ${hertzWords(tone.mostHz)}`
        : "";
    return `tone${where && `, most of it${where}`}${most}${crossed}`;
  }
  if (name === "levelOverTime") {
    const step = stepOf(ladder, "levelOverTime");
    const bands = step && step.bands > 1 ? ` in ${step.bands} bands` : "";
    return `level over time${bands}`;
  }
  const step = stepOf(ladder, "bend");
  const [even, odd] = [powerOf(step?.evenDb), powerOf(step?.oddDb)];
  const kind = even > 4 * odd ? "even" : odd > 4 * even ? "odd" : "even and odd";
  return `${kind} harmonics of a static bend`;
}

/** One sentence of where a difference stands out of the music, worded as the estimate it is. */
export function maskSentence({ moments, shareOver, meanDb }: OverMask): string {
  if (meanDb === null || moments.length === 0) return "There is no difference to hear.";
  const over = moments.filter((m) => m.overMaskDb > 0);
  if (over.length === 0) return "By estimate all of this difference lies under the masking threshold.";
  const low = Math.min(...over.map((m) => m.lowHertz));
  const high = Math.max(...over.map((m) => m.highHertz));
  const where = rangeWords([low <= 80 ? 20 : low, high >= 15_000 ? 20_000 : high]);
  const amount = shareOver < 0.02 ? "Nearly all" : shareOver < 0.3 ? "Most" : shareOver < 0.6 ? "Part" : null;
  return amount
    ? `By estimate ${amount.toLowerCase()} of this difference lies under the masking threshold; what stands out most is${where || " spread over the whole range"}.`
    : `By estimate most of this difference stands over the masking threshold${where}.`;
}
