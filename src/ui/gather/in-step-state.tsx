import type { Alignment } from "@/core/alignment/alignment";
import { number, plural } from "@/ui/format";

/** How a render lies against the dry one, in a few words; a coloured dot and the words say the same. */
export function inStepWords(alignment: Alignment | undefined): {
  words: string;
  /** The same where there is room for a dozen letters only. */
  short: string;
  tone: "good" | "care" | "wrong" | "none";
} {
  if (!alignment) return { words: "Lining up…", short: "Lining up…", tone: "none" };
  if (!alignment.found) return { words: `Not in step: ${alignment.reason}`, short: "Not in step", tone: "wrong" };
  const { delaySamples, polarity, driftPpm } = alignment;
  const parts: string[] = [];
  if (driftPpm) parts.push(`clock ${number(Math.abs(driftPpm))} ppm ${driftPpm > 0 ? "fast" : "slow"}, not corrected`);
  if (delaySamples !== 0)
    parts.push(`${plural(Math.abs(delaySamples), "sample")} ${delaySamples > 0 ? "late" : "early"}`);
  if (polarity < 0) parts.push("flipped");
  if (parts.length === 0) return { words: "In step", short: "In step", tone: "good" };
  const words = parts.join("; ") + (driftPpm ? "" : ", corrected");
  const late = delaySamples === 0 ? "" : `${Math.abs(delaySamples)} smp ${delaySamples > 0 ? "late" : "early"}`;
  const short = driftPpm
    ? `Clock ${number(Math.abs(driftPpm))} ppm`
    : [late, polarity < 0 && "flipped"].filter(Boolean).join(", ");
  return { words: words[0].toUpperCase() + words.slice(1), short, tone: driftPpm ? "care" : "good" };
}

const TONES = { good: "text-success", care: "text-warning", wrong: "text-error", none: "text-soft" } as const;

export function InStepState({ alignment, short }: { alignment: Alignment | undefined; short?: boolean }) {
  const { words, short: few, tone } = inStepWords(alignment);
  return (
    <span className={`flex min-w-0 items-center gap-1.5 text-[12px] ${TONES[tone]}`} title={words}>
      <span className="size-1.5 shrink-0 rounded-full bg-current" aria-hidden="true" />
      <span className="truncate">{short ? few : words}</span>
    </span>
  );
}
